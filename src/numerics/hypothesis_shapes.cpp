// Tests of the shape of a distribution.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/distributions.h"
#include "numerics/hypothesis.h"
#include "numerics/sorted.h"

namespace quill {

namespace shape_tests {
namespace {

// A square matrix with a power of ten apart.
struct MatrixPower {
  std::vector<double> values;
  int exponent = 0;
};

MatrixPower product(const MatrixPower& a, const MatrixPower& b, std::size_t m) {
  MatrixPower out{std::vector<double>(m * m), a.exponent + b.exponent};
  for (std::size_t i = 0; i < m; ++i)
    for (std::size_t k = 0; k < m; ++k) {
      const double left = a.values[i * m + k];
      if (left == 0) continue;
      for (std::size_t j = 0; j < m; ++j) out.values[i * m + j] += left * b.values[k * m + j];
    }
  if (out.values[(m / 2) * m + m / 2] > 1e140) {
    for (double& v : out.values) v *= 1e-140;
    out.exponent += 140;
  }
  return out;
}

// P(D < d) by the matrix of J. Durbin (G. Marsaglia, W. W. Tsang, J. Wang, J. Stat. Softw. 8, 2003).
double by_matrix(Index n, double d) {
  const auto k = static_cast<Index>(static_cast<double>(n) * d) + 1;
  const auto m = static_cast<std::size_t>(2 * k - 1);
  const double h = static_cast<double>(k) - static_cast<double>(n) * d;
  MatrixPower base{std::vector<double>(m * m)};
  auto& values = base.values;
  for (std::size_t i = 0; i < m; ++i)
    for (std::size_t j = 0; j < m && j <= i + 1; ++j) values[i * m + j] = 1;
  for (std::size_t i = 0; i < m; ++i) {
    values[i * m] -= std::pow(h, static_cast<double>(i + 1));
    values[(m - 1) * m + i] -= std::pow(h, static_cast<double>(m - i));
  }
  if (2 * h > 1) values[(m - 1) * m] += std::pow(2 * h - 1, static_cast<double>(m));
  for (std::size_t i = 0; i < m; ++i)
    for (std::size_t j = 0; j < m && j <= i; ++j)
      for (std::size_t g = 1; g <= i - j + 1; ++g) values[i * m + j] /= static_cast<double>(g);
  MatrixPower power{std::vector<double>(m * m)};
  for (std::size_t i = 0; i < m; ++i) power.values[i * m + i] = 1;
  for (Index left = n; left; left >>= 1) {
    poll_interrupt();
    if (left & 1) power = product(power, base, m);
    if (left > 1) base = product(base, base, m);
  }
  const auto middle = static_cast<std::size_t>(k - 1);
  double out = power.values[middle * m + middle];
  int exponent = power.exponent;
  for (Index i = 1; i <= n; ++i) {
    out *= static_cast<double>(i) / static_cast<double>(n);
    if (out < 1e-140) {
      out *= 1e140;
      exponent -= 140;
    }
  }
  return out * std::pow(10.0, exponent);
}

// P of a distance of at least d to one side (Z. W. Birnbaum, F. H. Tingey, 1951): all terms are positive.
double one_sided(Index count, double d) {
  const auto n = static_cast<double>(count);
  const auto last = static_cast<Index>(std::floor(n * (1 - d)));
  double sum = 0;
  for (Index j = 0; j <= last; ++j) {
    const auto at = static_cast<double>(j);
    const double rest = 1 - d - at / n;
    if (rest <= 0) {
      if (j == count) sum += std::exp((at - 1) * std::log(d + at / n));
      continue;
    }
    sum += std::exp(std::lgamma(n + 1) - std::lgamma(at + 1) - std::lgamma(n - at + 1) +
                    (n - at) * std::log(rest) + (at - 1) * std::log(d + at / n));
  }
  return std::min(1.0, d * sum);
}

// The limit for many elements.
double limit_survival(double x) {
  if (x <= 0) return 1;
  constexpr double small = 1.18;
  if (x < small) {
    const double y = -std::numbers::pi * std::numbers::pi / (8 * x * x);
    double sum = 0;
    for (int k = 1; k < 20; k += 2) sum += std::exp(y * k * k);
    return 1 - std::sqrt(2 * std::numbers::pi) / x * sum;
  }
  double sum = 0;
  for (int k = 1; k < 20; ++k) sum += (k % 2 ? 1 : -1) * std::exp(-2 * x * x * k * k);
  return std::min(1.0, 2 * sum);
}

}  // namespace
}  // namespace shape_tests

using namespace shape_tests;

double kolmogorov_survival(Index count, double d) {
  const auto n = static_cast<double>(count);
  if (d <= 0.5 / n) return 1;
  if (d >= 1) return 0;
  // Far out both sides together hardly ever occur: then twice one side is right to more than ten digits.
  constexpr double far = 2.2;
  constexpr Index most_one_sided = 1000000, most_by_matrix = 1000;
  if ((n * d * d > far || d > 0.5) && count <= most_one_sided) return std::min(1.0, 2 * one_sided(count, d));
  if (count <= most_by_matrix) return std::clamp(1 - by_matrix(count, d), 0.0, 1.0);
  // The limit with a corrected argument (J. Vrbik, Pioneer J. Theor. Appl. Stat. 15, 2018).
  const double x = std::sqrt(n) * d;
  return limit_survival(x + 1 / (6 * std::sqrt(n)) + (x - 1) / (4 * n));
}

TestResult distribution_test(Sample data, const std::function<double(double)>& cumulative) {
  if (data.empty()) fail("a distribution test needs data");
  sort_rising(data);
  const auto n = static_cast<double>(data.size());
  TestResult r;
  for (std::size_t k = 0; k < data.size(); ++k) {
    const double p = cumulative(data[k]);
    if (!(p >= 0 && p <= 1))
      fail(fmt::format("a cumulative probability must be from 0 to 1, but is {} at {}", shortest(p),
                       shortest(data[k])));
    const auto at = static_cast<double>(k);
    r.statistic = std::max({r.statistic, (at + 1) / n - p, p - at / n});
  }
  r.p = kolmogorov_survival(static_cast<Index>(data.size()), r.statistic);
  r.effect = r.statistic;
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  r.method = "distribution of a sample (Kolmogorov–Smirnov)";
  return r;
}

TestResult distribution_test(Sample a, Sample b) {
  if (a.empty() || b.empty()) fail("a distribution test needs data in both samples");
  sort_rising(a);
  sort_rising(b);
  const auto n = a.size(), m = b.size();
  const auto size_a = static_cast<double>(n), size_b = static_cast<double>(m);
  TestResult r;
  for (std::size_t i = 0, j = 0; i < n && j < m;) {
    const double at = std::min(a[i], b[j]);
    while (i < n && a[i] == at) ++i;
    while (j < m && b[j] == at) ++j;
    r.statistic =
        std::max(r.statistic, std::fabs(static_cast<double>(i) / size_a - static_cast<double>(j) / size_b));
  }
  r.effect = r.statistic;
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  constexpr std::size_t most_exact = 1'000'000;
  if (n * m <= most_exact) {
    // The share of the orders of both samples in which the distance is reached somewhere: J. L. Hodges, 1958.
    const double limit = r.statistic - 1e-12;
    std::vector<double> reached(m + 1);
    for (std::size_t i = 0; i <= n; ++i) {
      poll_interrupt();
      for (std::size_t j = 0; j <= m; ++j) {
        const auto x = static_cast<double>(i), y = static_cast<double>(j);
        if (std::fabs(x / size_a - y / size_b) >= limit && i + j > 0)
          reached[j] = 1;
        else if (i + j == 0)
          reached[j] = 0;
        else
          reached[j] = (i ? reached[j] * x : 0) / (x + y) + (j ? reached[j - 1] * y : 0) / (x + y);
      }
    }
    r.p = r.statistic == 0 ? 1 : std::min(1.0, reached[m]);
    r.method = "distributions of two samples (Kolmogorov–Smirnov), exact";
  } else {
    r.p = limit_survival(r.statistic * std::sqrt(size_a / (size_a + size_b) * size_b));
    r.method = "distributions of two samples (Kolmogorov–Smirnov), limit for many elements";
  }
  return r;
}

namespace shape_tests {
namespace {

double polynomial(std::initializer_list<double> rising, double x) {
  double out = 0;
  for (auto c = rising.end(); c != rising.begin();) out = out * x + *--c;
  return out;
}

// The weights of Shapiro and Wilk for the upper half, largest element first (P. Royston, Appl. Stat. 44,
// 1995).
std::vector<double> upper_weights(std::size_t n) {
  const Distribution z(DistributionKind::normal, {0, 1});
  const auto half = n / 2;
  if (n == 3) return {std::sqrt(0.5)};
  std::vector<double> m(half), out(half);
  double squares = 0;
  for (std::size_t k = 0; k < half; ++k) {
    m[k] = z.upper_quantile((static_cast<double>(k) + 0.625) / (static_cast<double>(n) + 0.25));
    squares += 2 * m[k] * m[k];
  }
  const double u = 1 / std::sqrt(static_cast<double>(n)), root = std::sqrt(squares);
  out[0] = m[0] / root + polynomial({0, 0.221157, -0.147981, -2.07119, 4.434685, -2.706056}, u);
  std::size_t first = 1;
  double phi = (squares - 2 * m[0] * m[0]) / (1 - 2 * out[0] * out[0]);
  if (n > 5) {
    out[1] = m[1] / root + polynomial({0, 0.042981, -0.293762, -1.752461, 5.682633, -3.582633}, u);
    phi = (squares - 2 * m[0] * m[0] - 2 * m[1] * m[1]) / (1 - 2 * out[0] * out[0] - 2 * out[1] * out[1]);
    first = 2;
  }
  for (std::size_t k = first; k < half; ++k) out[k] = m[k] / std::sqrt(phi);
  return out;
}

}  // namespace
}  // namespace shape_tests

TestResult normality_test(Sample v) {
  constexpr std::size_t fewest = 3, most = 5000;
  const auto n = v.size();
  if (n < fewest || n > most)
    fail(fmt::format("a normality test takes 3 to 5000 elements, not {}", n),
         n > most ? "distribution_test compares larger samples with a distribution" : "");
  sort_rising(v);
  if (v.front() == v.back()) fail("a normality test needs different elements");
  // Of the data in units of their range.
  const double range = v.back() - v.front(), low = v.front();
  double mean = 0;
  for (double& x : v) x = (x - low) / range, mean += x;
  mean /= static_cast<double>(n);
  double squares = 0, sum = 0;
  for (const double x : v) squares += (x - mean) * (x - mean);
  const auto weights = upper_weights(n);
  for (std::size_t k = 0; k < weights.size(); ++k) sum += weights[k] * (v[n - 1 - k] - v[k]);
  TestResult r;
  const double w = std::min(1.0, sum * sum / squares), size = static_cast<double>(n);
  r.statistic = r.effect = w;
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  r.method = "normality (Shapiro–Wilk)";
  const Distribution z(DistributionKind::normal, {0, 1});
  if (n == 3) {
    r.p = std::max(0.0, 6 / std::numbers::pi * (std::asin(std::sqrt(w)) - std::asin(std::sqrt(0.75))));
  } else if (n <= 11) {
    const double gamma = -2.273 + 0.459 * size, y = std::log(1 - w);
    if (y >= gamma) {
      r.p = 0;  // the limit of the formula below
      return r;
    }
    const double mu = polynomial({0.5440, -0.39978, 0.025054, -0.0006714}, size),
                 sigma = std::exp(polynomial({1.3822, -0.77857, 0.062767, -0.0020322}, size));
    r.p = z.survival((-std::log(gamma - y) - mu) / sigma);
  } else {
    const double l = std::log(size), mu = polynomial({-1.5861, -0.31082, -0.083751, 0.0038915}, l),
                 sigma = std::exp(polynomial({-0.4803, -0.082676, 0.0030302}, l));
    r.p = z.survival((std::log(1 - w) - mu) / sigma);
  }
  return r;
}

}  // namespace quill
