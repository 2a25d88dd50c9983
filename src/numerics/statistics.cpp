#include "numerics/statistics.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <span>

namespace quill {

namespace {

struct Context {
  bool skip_nan = false;
  double p = 0;
  Reduction op = Reduction::sum;
  const char* what = "";
};

std::vector<double> line_of(const double* values, Index count, const void* context) {
  std::vector<double> out(values, values + count);
  if (static_cast<const Context*>(context)->skip_nan)
    out.erase(std::remove_if(out.begin(), out.end(), [](double x) { return std::isnan(x); }), out.end());
  return out;
}

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
// Whether all elements that there were are nan and left out.
bool is_left_empty(const std::vector<double>& line, Index count) { return line.empty() && count > 0; }

// A power of two that scales the largest magnitude to about 1, so that sums and squares neither overflow nor
// underflow.
double unit_of(std::span<const double> v) {
  double most = 0;
  for (const double x : v) most = std::max(most, std::fabs(x));
  if (most == 0 || !std::isfinite(most) || (most > 1e-100 && most < 1e100)) return 1;
  return std::ldexp(1.0, std::ilogb(most));
}

double mean_of(std::span<const double> v) {
  if (v.empty()) fail("the mean of no elements is undefined");
  const auto n = static_cast<double>(v.size());
  const double mean = pairwise_sum(v.data(), static_cast<Index>(v.size()), 1) / n;
  if (std::isfinite(mean)) return mean;
  const double unit = unit_of(v);
  if (unit == 1) return mean;
  std::vector<double> scaled(v.begin(), v.end());
  for (double& x : scaled) x /= unit;
  return pairwise_sum(scaled.data(), static_cast<Index>(v.size()), 1) / n * unit;
}

// Subtracts the mean and its rounding error; 0 if all are equal.
void subtract_mean(std::vector<double>& v) {
  const auto [least, most] = std::minmax_element(v.begin(), v.end());
  if (*least == *most && std::isfinite(*least)) {
    std::fill(v.begin(), v.end(), 0.0);
    return;
  }
  for (int round = 0; round < 2; ++round) {
    const double m = mean_of(v);
    for (double& x : v) x -= m;
  }
}

double squares_about_mean(std::vector<double> v) {
  subtract_mean(v);
  for (double& x : v) x *= x;
  return pairwise_sum(v.data(), static_cast<Index>(v.size()), 1);
}

struct Variance {
  double value, unit;  // in squares of the unit
};
Variance variance_of(const double* values, Index count, const void* context) {
  auto v = line_of(values, count, context);
  if (v.size() < 2) return {std::numeric_limits<double>::quiet_NaN(), 1};
  const auto n = static_cast<double>(v.size());
  const double plain = squares_about_mean(std::move(v)) / (n - 1);
  constexpr double small = 1e-200;
  if (plain > small && std::isfinite(plain)) return {plain, 1};
  v = line_of(values, count, context);
  const double unit = unit_of(v);
  if (unit == 1) return {plain, 1};
  for (double& x : v) x /= unit;
  return {squares_about_mean(std::move(v)) / (n - 1), unit};
}

double quantile_of(std::vector<double> v, double p, const char* what) {
  if (v.empty()) fail(fmt::format("{} of no elements is undefined", what));
  for (const double x : v)
    if (std::isnan(x)) return x;
  const double at = p * static_cast<double>(v.size() - 1);
  const auto k = static_cast<std::size_t>(std::floor(at));
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(k), v.end());
  const double low = v[k], part = at - static_cast<double>(k);
  if (part == 0) return low;
  const double high = *std::min_element(v.begin() + static_cast<std::ptrdiff_t>(k) + 1, v.end());
  if (low == high) return low;
  const double way = high - low;
  return std::isfinite(way) ? low + part * way : (1 - part) * low + part * high;
}

}  // namespace

Array mean(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        if (!static_cast<const Context*>(c)->skip_nan) return mean_of({v, static_cast<std::size_t>(n)});
        const auto line = line_of(v, n, c);
        return is_left_empty(line, n) ? kNone : mean_of(line);
      },
      &context);
}

Array variance(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        const auto [value, unit] = variance_of(v, n, c);
        return value * unit * unit;
      },
      &context);
}

Array standard_deviation(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        const auto [value, unit] = variance_of(v, n, c);
        return std::sqrt(value) * unit;
      },
      &context);
}

Array root_mean_square(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        auto line = line_of(v, n, c);
        if (is_left_empty(line, n)) return kNone;
        if (line.empty()) fail("the root mean square of no elements is undefined");
        const double unit = unit_of(line);
        for (double& x : line) x = x / unit * (x / unit);
        return std::sqrt(mean_of(line)) * unit;
      },
      &context);
}

namespace {

// The mean of the k-th powers of the deviations in units of the standard deviation.
double standard_moment(std::vector<double> v, int k) {
  if (v.size() < 2) return kNone;
  subtract_mean(v);
  const double unit = unit_of(v);
  std::vector<double> squares;
  squares.reserve(v.size());
  for (double& x : v) {
    x /= unit;
    squares.push_back(x * x);
  }
  const double spread = std::sqrt(mean_of(squares));
  if (spread == 0) return kNone;
  for (double& x : v) x = std::pow(x / spread, k);
  return mean_of(v);
}

}  // namespace

Array skewness(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        constexpr int third = 3;
        return standard_moment(line_of(v, n, c), third);
      },
      &context);
}

Array excess_kurtosis(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        constexpr int fourth = 4;
        constexpr double of_normal = 3;
        return standard_moment(line_of(v, n, c), fourth) - of_normal;
      },
      &context);
}

Array quantile(const Array& a, double p, const StatisticsOptions& options) {
  if (!(p >= 0 && p <= 1))
    fail(fmt::format("the fraction of a quantile must be from 0 to 1, not {}", shortest(p)));
  const Context context{options.skip_nan, p, Reduction::sum, options.what};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        auto line = line_of(v, n, c);
        const auto& asked = *static_cast<const Context*>(c);
        return is_left_empty(line, n) ? kNone : quantile_of(std::move(line), asked.p, asked.what);
      },
      &context);
}

Array reduce_without_nan(Reduction op, const Array& a, const Over& over) {
  const Context context{true, 0, op};
  return reduce_lines(
      a, over,
      [](const double* v, Index n, const void* c) {
        const auto line = line_of(v, n, c);
        const auto what = static_cast<const Context*>(c)->op;
        // The sum of nothing is 0; the least of nothing does not exist.
        if ((what == Reduction::minimum || what == Reduction::maximum) && is_left_empty(line, n))
          return kNone;
        return *reduce(what, Array::vector(line)).data<double>();
      },
      &context);
}

}  // namespace quill
