// Tests of means, variances and counts.
#include "numerics/hypothesis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/number.h"
#include "numerics/distributions.h"
#include "numerics/sorted.h"

namespace quill {

namespace hypothesis {
namespace {

struct Moments {
  double n = 0, mean = 0, variance = 0;  // over n - 1
};
Moments moments_of(const Sample& v) {
  Moments m;
  m.n = static_cast<double>(v.size());
  long double sum = 0;
  for (const double x : v) sum += x;
  m.mean = static_cast<double>(sum / m.n);
  long double squares = 0, rest = 0;
  for (const double x : v) {
    const long double d = static_cast<long double>(x) - m.mean;
    squares += d * d;
    rest += d;
  }
  m.variance = static_cast<double>((squares - rest * rest / m.n) / (m.n - 1));
  return m;
}

// The exponent of the largest number: in units of its power of two squares neither overflow nor vanish.
int exponent_of(std::initializer_list<const Sample*> samples, double other = 0) {
  double largest = std::fabs(other);
  for (const auto* v : samples)
    for (const double x : *v) largest = std::max(largest, std::fabs(x));
  return largest > 0 && std::isfinite(largest) ? std::ilogb(largest) : 0;
}
Sample in_units(const Sample& v, int exponent) {
  Sample out;
  out.reserve(v.size());
  for (const double x : v) out.push_back(std::ldexp(x, -exponent));
  return out;
}
TestResult in_own_units(TestResult r, int exponent) {
  r.estimate = std::ldexp(r.estimate, exponent);
  for (double& end : r.interval) end = std::ldexp(end, exponent);
  return r;
}

void need(const Sample& v, std::size_t least, std::string_view name) {
  if (v.size() < least) fail(fmt::format("{} needs at least {} elements, not {}", name, least, v.size()));
}

// p of a statistic with a symmetric distribution around 0.
double p_of(const Distribution& d, double statistic, Alternative alternative) {
  if (alternative == Alternative::less) return d.cumulative(statistic);
  if (alternative == Alternative::greater) return d.survival(statistic);
  return std::min(1.0, 2 * d.survival(std::fabs(statistic)));
}

constexpr double kInfinity = std::numeric_limits<double>::infinity();

// Estimate ± the quantile of d times its error; one-sided intervals are open to the other side.
std::array<double, 2> interval_of(const Distribution& d, double estimate, double error,
                                  const TestOptions& o) {
  const double rest = 1 - o.confidence;
  if (o.alternative == Alternative::less) return {-kInfinity, estimate + d.upper_quantile(rest) * error};
  if (o.alternative == Alternative::greater) return {estimate - d.upper_quantile(rest) * error, kInfinity};
  const double reach = d.upper_quantile(rest / 2) * error;
  return {estimate - reach, estimate + reach};
}

// Of a difference with its standard error; without spread the statistic is infinite or nan.
TestResult student(double difference, double error, double degrees, const TestOptions& o) {
  const Distribution d(DistributionKind::student_t, {degrees});
  TestResult r;
  r.statistic = difference / error;
  r.p = std::isinf(r.statistic) ? p_of(d, std::copysign(1e300, r.statistic), o.alternative)
                                : p_of(d, r.statistic, o.alternative);
  r.degrees_of_freedom = {degrees};
  r.interval = interval_of(d, difference, error, o);
  r.estimate = difference;
  return r;
}

}  // namespace
}  // namespace hypothesis

using namespace hypothesis;

TestResult t_test(const Sample& given, double given_mean, const TestOptions& options) {
  need(given, 2, "a t test");
  const int exponent = exponent_of({&given}, given_mean);
  const double mean = std::ldexp(given_mean, -exponent);
  const auto m = moments_of(in_units(given, exponent));
  auto r = student(m.mean - mean, std::sqrt(m.variance / m.n), m.n - 1, options);
  r.estimate += mean;
  for (double& end : r.interval) end += mean;
  r.effect = (m.mean - mean) / std::sqrt(m.variance);
  r.method = "one-sample t test";
  return in_own_units(std::move(r), exponent);
}

TestResult t_test(const Sample& a, const Sample& b, bool equal_variances, const TestOptions& options) {
  need(a, 2, "a t test");
  need(b, 2, "a t test");
  const int exponent = exponent_of({&a, &b});
  const auto x = moments_of(in_units(a, exponent)), y = moments_of(in_units(b, exponent));
  const double pooled = ((x.n - 1) * x.variance + (y.n - 1) * y.variance) / (x.n + y.n - 2);
  const double u = x.variance / x.n, v = y.variance / y.n;
  TestResult r;
  if (equal_variances) {
    r = student(x.mean - y.mean, std::sqrt(pooled * (1 / x.n + 1 / y.n)), x.n + y.n - 2, options);
  } else {
    // Welch's degrees of freedom from fractions: squares of tiny variances would underflow.
    const double share = u + v > 0 ? u / (u + v) : 0.5;
    const double degrees = 1 / (share * share / (x.n - 1) + (1 - share) * (1 - share) / (y.n - 1));
    r = student(x.mean - y.mean, std::sqrt(u + v), degrees, options);
  }
  r.effect = (x.mean - y.mean) / std::sqrt(pooled);
  r.method = equal_variances ? "t test with equal variances" : "t test with unequal variances (Welch)";
  return in_own_units(std::move(r), exponent);
}

namespace hypothesis {
namespace {

// The probability of the 2×2 table with this first cell, and of all that are as far or farther: Fisher's
// exact test. Tables are compared by their probability.
double exact_two_by_two(const std::vector<Sample>& t) {
  const double rows = t[0][0] + t[0][1], column = t[0][0] + t[1][0], all = rows + t[1][0] + t[1][1];
  const double low = std::max(0.0, rows + column - all), high = std::min(rows, column);
  const auto log_choose = [](double n, double k) {
    return std::lgamma(n + 1) - std::lgamma(k + 1) - std::lgamma(n - k + 1);
  };
  const auto log_p = [&](double k) {
    return log_choose(column, k) + log_choose(all - column, rows - k) - log_choose(all, rows);
  };
  const double seen = log_p(t[0][0]);
  double p = 0;
  constexpr double rounding = 1e-7;
  for (double k = low; k <= high; ++k)
    if (const double q = log_p(k); q <= seen + rounding) p += std::exp(q);
  return std::min(1.0, p);
}

double check_counts(const Sample& counts, const char* what) {
  double sum = 0;
  for (const double c : counts) {
    if (!(c >= 0) || std::isinf(c))
      fail(fmt::format("{} counts must be finite numbers from 0, not {}", what, shortest(c)));
    sum += c;
  }
  return sum;
}

}  // namespace
}  // namespace hypothesis

TestResult chi_squared_test(const Sample& observed, const Sample& expected) {
  if (observed.size() < 2) fail("a χ² test needs at least 2 counts");
  const double n = check_counts(observed, "observed"), m = check_counts(expected, "expected");
  if (n == 0) fail("all observed counts are 0");
  TestResult r;
  for (std::size_t k = 0; k < observed.size(); ++k) {
    const double e = expected[k] * (n / m), d = observed[k] - e;
    if (e == 0) fail(fmt::format("expected count {} is 0", k + 1));
    r.statistic += d * d / e;
  }
  const auto degrees = static_cast<double>(observed.size() - 1);
  r.degrees_of_freedom = {degrees};
  r.p = Distribution(DistributionKind::chi_squared, {degrees}).survival(r.statistic);
  r.effect = std::sqrt(r.statistic / n);
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  r.method = "χ² test of counts";
  return r;
}

double smallest_expected(const std::vector<Sample>& table) {
  std::vector<double> columns(table[0].size());
  double n = 0;
  for (const auto& row : table)
    for (std::size_t c = 0; c < row.size(); ++c) columns[c] += row[c], n += row[c];
  double least = kInfinity;
  for (const auto& row : table) {
    const double sum = std::accumulate(row.begin(), row.end(), 0.0);
    for (const double c : columns) least = std::min(least, sum * c / n);
  }
  return least;
}

TestResult independence_test(const std::vector<Sample>& table) {
  const auto width = table[0].size();
  if (table.size() < 2 || width < 2) fail("a test of independence needs at least 2 rows and 2 columns");
  std::vector<double> rows, columns(width);
  double n = 0;
  for (const auto& row : table) {
    rows.push_back(check_counts(row, "observed"));
    for (std::size_t c = 0; c < width; ++c) columns[c] += row[c];
    n += rows.back();
  }
  for (const auto* sums : {&rows, &columns})
    for (std::size_t k = 0; k < sums->size(); ++k)
      if ((*sums)[k] == 0)
        fail(fmt::format("{} {} of the table has only zeros", sums == &rows ? "row" : "column", k + 1));
  TestResult r;
  for (std::size_t i = 0; i < table.size(); ++i)
    for (std::size_t c = 0; c < width; ++c) {
      const double e = rows[i] * columns[c] / n, d = table[i][c] - e;
      r.statistic += d * d / e;
    }
  const auto degrees = static_cast<double>((table.size() - 1) * (width - 1));
  r.degrees_of_freedom = {degrees};
  r.effect = std::sqrt(r.statistic / n / static_cast<double>(std::min(table.size(), width) - 1));
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  const bool is_whole = std::all_of(table.begin(), table.end(), [](const Sample& row) {
    return std::all_of(row.begin(), row.end(), [](double c) { return std::trunc(c) == c; });
  });
  constexpr double few = 5;
  if (table.size() == 2 && width == 2 && is_whole && smallest_expected(table) < few) {
    r.p = exact_two_by_two(table);
    r.method = "exact test of a 2×2 table (Fisher)";
  } else {
    r.p = Distribution(DistributionKind::chi_squared, {degrees}).survival(r.statistic);
    r.method = "χ² test of independence";
  }
  return r;
}

TestResult variance_test(const Sample& a, const Sample& b, const TestOptions& options) {
  need(a, 2, "a variance test");
  need(b, 2, "a variance test");
  const int exponent = exponent_of({&a, &b});
  const auto x = moments_of(in_units(a, exponent)), y = moments_of(in_units(b, exponent));
  if (y.variance == 0) fail("the second sample has no variance");
  const Distribution d(DistributionKind::f, {x.n - 1, y.n - 1});
  TestResult r;
  r.statistic = x.variance / y.variance;
  const double below = d.cumulative(r.statistic), above = d.survival(r.statistic);
  r.p = options.alternative == Alternative::less      ? below
        : options.alternative == Alternative::greater ? above
                                                      : std::min(1.0, 2 * std::min(below, above));
  r.degrees_of_freedom = {x.n - 1, y.n - 1};
  const double rest = 1 - options.confidence;
  const double tail = options.alternative == Alternative::two_sided ? rest / 2 : rest;
  r.interval = {options.alternative == Alternative::less ? 0 : r.statistic / d.upper_quantile(tail),
                options.alternative == Alternative::greater ? kInfinity : r.statistic / d.quantile(tail)};
  r.estimate = r.effect = r.statistic;
  r.method = "F test of two variances";
  return r;
}

TestResult analysis_of_variance(const std::vector<Sample>& given) {
  if (given.size() < 2) fail("an analysis of variance needs at least 2 groups");
  Sample all;
  for (const auto& g : given) all.insert(all.end(), g.begin(), g.end());
  const int exponent = exponent_of({&all});
  std::vector<Sample> groups;
  for (const auto& g : given) groups.push_back(in_units(g, exponent));
  double n = 0;
  long double sum = 0;
  for (const auto& g : groups) {
    n += static_cast<double>(g.size());
    for (const double x : g) sum += x;
  }
  const auto k = static_cast<double>(groups.size());
  if (n <= k) fail("an analysis of variance needs more elements than groups");
  const auto mean = static_cast<double>(sum / n);
  double between = 0, within = 0;
  for (const auto& g : groups) {
    const auto m = moments_of(g);
    between += m.n * (m.mean - mean) * (m.mean - mean);
    within += g.size() > 1 ? m.variance * (m.n - 1) : 0;
  }
  const Distribution d(DistributionKind::f, {k - 1, n - k});
  TestResult r;
  r.statistic = between / (k - 1) / (within / (n - k));
  r.p = std::isnan(r.statistic) ? NAN : d.survival(r.statistic);
  r.degrees_of_freedom = {k - 1, n - k};
  r.effect = between / (between + within);
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  r.method = "one-way analysis of variance";
  return r;
}

TestResult pearson_test(const Sample& given_x, const Sample& given_y, const TestOptions& options) {
  need(given_x, 3, "a test of correlation");
  const auto x = in_units(given_x, exponent_of({&given_x})), y = in_units(given_y, exponent_of({&given_y}));
  const auto a = moments_of(x), b = moments_of(y);
  long double products = 0;
  for (std::size_t k = 0; k < x.size(); ++k)
    products += (static_cast<long double>(x[k]) - a.mean) * (y[k] - b.mean);
  const double r = std::clamp(
      static_cast<double>(products / (a.n - 1)) / std::sqrt(a.variance) / std::sqrt(b.variance), -1.0, 1.0);
  const double degrees = a.n - 2;
  TestResult out;
  out.statistic = r * std::sqrt(degrees / ((1 - r) * (1 + r)));
  const Distribution d(DistributionKind::student_t, {degrees});
  out.p = std::isinf(out.statistic) ? p_of(d, std::copysign(1e300, r), options.alternative)
                                    : p_of(d, out.statistic, options.alternative);
  out.degrees_of_freedom = {degrees};
  out.estimate = out.effect = r;
  out.interval = {NAN, NAN};
  if (a.n > 3) {  // Fisher's z
    const Distribution z(DistributionKind::normal, {0, 1});
    out.interval = interval_of(z, std::atanh(r), 1 / std::sqrt(a.n - 3), options);
    for (double& end : out.interval) end = std::tanh(end);
  }
  out.method = "correlation (Pearson)";
  return out;
}

std::vector<double> holm_adjusted(const std::vector<double>& p) {
  const auto order = rising_order(p);
  std::vector<double> out(p.size());
  double most = 0;
  for (std::size_t k = 0; k < p.size(); ++k) {
    most = std::max(most, std::min(1.0, p[order[k]] * static_cast<double>(p.size() - k)));
    out[order[k]] = most;
  }
  return out;
}

std::vector<double> false_discovery_adjusted(const std::vector<double>& p) {
  const auto order = rising_order(p);
  std::vector<double> out(p.size());
  double least = 1;
  for (std::size_t k = p.size(); k-- > 0;) {
    least = std::min(least, p[order[k]] * static_cast<double>(p.size()) / static_cast<double>(k + 1));
    out[order[k]] = least;
  }
  return out;
}

}  // namespace quill
