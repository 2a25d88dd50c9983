// Distributions by maximum likelihood.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/distributions.h"

namespace quill {

namespace distribution_fit {
namespace {

using enum DistributionKind;
using Point = std::vector<double>;

// Sufficient statistics of the data for the likelihood.
struct Sample {
  DistributionKind kind;
  const std::vector<double>& data;
  double n = 0, mean = 0, mean_log = 0, mean_log_rest = 0;  // of log x, of log(1 - x)
};

[[noreturn]] void refuse(const Sample& s, std::size_t k, const std::string& why) {
  fail(fmt::format("element {} of the data is {}, which \"{}\" cannot produce: {}", k + 1,
                   shortest(s.data[k]), family_of(s.kind).name, why));
}

void check_data(const Sample& s) {
  for (std::size_t k = 0; k < s.data.size(); ++k) {
    const double x = s.data[k];
    const bool is_count = s.kind == poisson || s.kind == binomial;
    if (is_count && (x < 0 || std::trunc(x) != x)) refuse(s, k, "it must be an integer from 0");
    if (s.kind == beta && !(x > 0 && x < 1)) refuse(s, k, "it must be between 0 and 1");
    if (s.kind == exponential && x < 0) refuse(s, k, "it must be at least 0");
    const bool is_positive =
        s.kind == gamma || s.kind == chi_squared || s.kind == f || s.kind == log_normal || s.kind == weibull;
    if (is_positive && !(x > 0)) refuse(s, k, "it must be positive");
  }
}

template <class F>
double mean_of(const std::vector<double>& data, F function) {
  long double sum = 0;
  for (std::size_t k = 0; k < data.size(); ++k) {
    poll_interrupt_at(k);
    sum += function(data[k]);
  }
  return static_cast<double>(sum / static_cast<long double>(data.size()));
}

// The mean of the logarithms of the densities. Kinds with sufficient statistics need no pass over the data.
double mean_log_likelihood(const Sample& s, const Point& p) {
  for (const double v : p)
    if (!std::isfinite(v) || !(v > 0)) return -std::numeric_limits<double>::infinity();
  const double a = p[0], b = p.size() > 1 ? p[1] : 0;
  switch (s.kind) {
    case gamma: return (a - 1) * (s.mean_log - std::log(b)) - s.mean / b - std::lgamma(a) - std::log(b);
    case chi_squared:
      return (a / 2 - 1) * s.mean_log - s.mean / 2 - std::lgamma(a / 2) - a / 2 * std::log(2.0);
    case beta:
      return (a - 1) * s.mean_log + (b - 1) * s.mean_log_rest - std::lgamma(a) - std::lgamma(b) +
             std::lgamma(a + b);
    default: {
      const Distribution d(s.kind, p);
      return mean_of(s.data, [&](double x) { return d.log_density(x); });
    }
  }
}

// First and second derivatives by the logarithms of the parameters, by central differences.
struct Derivatives {
  Point slope;
  std::vector<Point> curvature;
};
Derivatives derivatives(const std::function<double(const Point&)>& of, const Point& at) {
  const auto n = at.size();
  constexpr double h = 1e-4;
  const double middle = of(at);
  Derivatives out{Point(n), std::vector<Point>(n, Point(n))};
  const auto moved = [&](std::size_t i, double by, std::size_t j, double by_j) {
    auto p = at;
    p[i] += by;
    p[j] += by_j;
    return of(p);
  };
  for (std::size_t i = 0; i < n; ++i) {
    const double up = moved(i, h, i, 0), down = moved(i, -h, i, 0);
    out.slope[i] = (up - down) / (2 * h);
    out.curvature[i][i] = (up - 2 * middle + down) / (h * h);
    for (std::size_t j = 0; j < i; ++j)
      out.curvature[i][j] = out.curvature[j][i] =
          (moved(i, h, j, h) - moved(i, h, j, -h) - moved(i, -h, j, h) + moved(i, -h, j, -h)) / (4 * h * h);
  }
  return out;
}

// The step that Newton's method takes to a maximum; nothing where the curvature is not that of one.
std::vector<double> newton_step(const Derivatives& d) {
  const auto& c = d.curvature;
  if (d.slope.size() == 1) return c[0][0] < 0 ? Point{-d.slope[0] / c[0][0]} : Point{};
  const double det = c[0][0] * c[1][1] - c[0][1] * c[1][0];
  if (!(c[0][0] < 0) || !(det > 0)) return {};
  return {-(c[1][1] * d.slope[0] - c[0][1] * d.slope[1]) / det,
          -(c[0][0] * d.slope[1] - c[1][0] * d.slope[0]) / det};
}

// The maximum by the logarithms of one or two parameters, from a start: Newton's steps, halved until they
// rise.
Point maximised(const Sample& s, Point start) {
  const auto of = [&](const Point& log_p) {
    Point p(log_p.size());
    std::transform(log_p.begin(), log_p.end(), p.begin(), [](double v) { return std::exp(v); });
    return mean_log_likelihood(s, p);
  };
  for (double& v : start) v = std::log(v);
  double now = of(start);
  constexpr int most_steps = 200;
  for (int k = 0; k < most_steps; ++k) {
    const auto d = derivatives(of, start);
    auto step = newton_step(d);
    if (step.empty()) step = d.slope;
    double size = 0;
    for (const double v : step) size = std::max(size, std::fabs(v));
    if (!std::isfinite(size)) break;
    if (size > 1)
      for (double& v : step) v /= size;
    bool has_risen = false;
    for (int half = 0; half < 40 && !has_risen; ++half) {
      auto next = start;
      for (std::size_t i = 0; i < next.size(); ++i) next[i] += step[i];
      if (const double there = of(next); there > now) {
        has_risen = true;
        now = there;
        start = next;
      }
      for (double& v : step) v /= 2;
    }
    constexpr double no_maximum = 50;
    if (std::any_of(start.begin(), start.end(), [&](double v) {
          return std::fabs(v) > no_maximum + std::fabs(std::log(s.mean > 0 ? s.mean : 1));
        }))
      fail(fmt::format("the likelihood of \"{}\" has no maximum for these data", family_of(s.kind).name),
           "are they equal, or of another distribution?");
    if (!has_risen || size < 1e-9) break;
  }
  for (double& v : start) v = std::exp(v);
  return start;
}

// From the curvature by the logarithms of the parameters.
Point errors_of_maximum(const Sample& s, const Point& parameters) {
  Point at(parameters.size());
  std::transform(parameters.begin(), parameters.end(), at.begin(), [](double v) { return std::log(v); });
  const auto d = derivatives(
      [&](const Point& log_p) {
        Point p(log_p.size());
        std::transform(log_p.begin(), log_p.end(), p.begin(), [](double v) { return std::exp(v); });
        return mean_log_likelihood(s, p);
      },
      at);
  const auto& c = d.curvature;
  if (at.size() == 1) return {parameters[0] / std::sqrt(-c[0][0] * s.n)};
  const double det = c[0][0] * c[1][1] - c[0][1] * c[1][0];
  return {parameters[0] * std::sqrt(-c[1][1] / det / s.n), parameters[1] * std::sqrt(-c[0][0] / det / s.n)};
}

double deviation(const std::vector<double>& data, double mean) {
  return std::sqrt(mean_of(data, [&](double x) { return (x - mean) * (x - mean); }));
}

// Where the search begins: by moments.
Point start_of(const Sample& s) {
  const double spread = deviation(s.data, s.mean), v = spread * spread;
  switch (s.kind) {
    case gamma: {
      // T. P. Minka's approximation by the means of the data and of their logarithms, 2002.
      const double gap = std::max(std::log(s.mean) - s.mean_log, 1e-15);
      const double shape = (3 - gap + std::sqrt((gap - 3) * (gap - 3) + 24 * gap)) / (12 * gap);
      return {shape, s.mean / shape};
    }
    case chi_squared: return {s.mean};
    case beta: {
      const double sum = std::max(s.mean * (1 - s.mean) / v - 1, 0.1);
      return {s.mean * sum, (1 - s.mean) * sum};
    }
    case weibull: {
      // Logarithms of Weibull data have the standard deviation π/√6 over the shape.
      const double log_spread = std::sqrt(
          mean_of(s.data, [&](double x) { return (std::log(x) - s.mean_log) * (std::log(x) - s.mean_log); }));
      const double shape = 1.2825498301618641 / log_spread;
      return {shape, std::exp(s.mean_log + 0.5772156649015329 / shape)};
    }
    case student_t: return {v > 1.05 ? std::max(2 * v / (v - 1), 0.5) : 30};
    default: return {5, s.mean > 1.1 ? std::min(2 * s.mean / (s.mean - 1), 100.0) : 20};
  }
}

DistributionFit simple_fit(const Sample& s, double count) {
  DistributionFit out;
  const double root = std::sqrt(s.n);
  switch (s.kind) {
    case normal: {
      const double spread = deviation(s.data, s.mean);
      return {{s.mean, spread}, {spread / root, spread / std::sqrt(2 * s.n)}, 0};
    }
    case log_normal: {
      const double spread = std::sqrt(
          mean_of(s.data, [&](double x) { return (std::log(x) - s.mean_log) * (std::log(x) - s.mean_log); }));
      return {{s.mean_log, spread}, {spread / root, spread / std::sqrt(2 * s.n)}, 0};
    }
    case uniform: {
      const auto [low, high] = std::minmax_element(s.data.begin(), s.data.end());
      return {{*low, *high}, {NAN, NAN}, 0};
    }
    case exponential: return {{s.mean}, {s.mean / root}, 0};
    case poisson: return {{s.mean}, {std::sqrt(s.mean / s.n)}, 0};
    default: {
      const double p = s.mean / count;
      return {{count, p}, {0, std::sqrt(p * (1 - p) / (s.n * count))}, 0};
    }
  }
}

}  // namespace
}  // namespace distribution_fit

DistributionFit fit_distribution(DistributionKind kind, const std::vector<double>& data, double count) {
  using namespace distribution_fit;
  if (data.size() < 2) fail(fmt::format("a fit needs at least 2 data, not {}", data.size()));
  Sample s{kind, data};
  check_data(s);
  s.n = static_cast<double>(data.size());
  s.mean = mean_of(data, [](double x) { return x; });
  if (kind == gamma || kind == chi_squared || kind == beta || kind == log_normal || kind == weibull)
    s.mean_log = mean_of(data, [](double x) { return std::log(x); });
  if (kind == beta) s.mean_log_rest = mean_of(data, [](double x) { return std::log1p(-x); });
  const auto [low, high] = std::minmax_element(data.begin(), data.end());
  const bool needs_spread = kind == normal || kind == log_normal || kind == uniform || kind == gamma ||
                            kind == beta || kind == weibull;
  if (needs_spread && *low == *high)
    fail(fmt::format("the likelihood of \"{}\" has no maximum: all data are {}", family_of(kind).name,
                     shortest(*low)));
  if (kind == binomial && *high > count)
    fail(fmt::format("the data have {}, more than the count of trials {}", shortest(*high), shortest(count)));
  if ((kind == exponential || kind == poisson) && *high == 0)
    fail(fmt::format("the likelihood of \"{}\" has no maximum: all data are 0", family_of(kind).name));
  const bool is_searched = kind == gamma || kind == chi_squared || kind == beta || kind == weibull ||
                           kind == student_t || kind == f;
  DistributionFit out;
  if (is_searched) {
    out.parameters = maximised(s, start_of(s));
    out.standard_errors = errors_of_maximum(s, out.parameters);
  } else {
    out = simple_fit(s, count);
  }
  const Distribution d(kind, out.parameters);
  out.log_likelihood = s.n * mean_of(data, [&](double x) { return d.log_density(x); });
  return out;
}

}  // namespace quill
