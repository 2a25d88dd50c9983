#include "numerics/statistics.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

namespace quill {

namespace {

struct Context {
  bool skip_nan = false;
  double p = 0;
  Reduction op = Reduction::sum;
};

std::vector<double> line_of(const double* values, Index count, const void* context) {
  std::vector<double> out(values, values + count);
  if (static_cast<const Context*>(context)->skip_nan)
    out.erase(std::remove_if(out.begin(), out.end(), [](double x) { return std::isnan(x); }), out.end());
  return out;
}

double mean_of(const std::vector<double>& v) {
  if (v.empty()) fail("the mean of no elements has no value");
  return pairwise_sum(v.data(), static_cast<Index>(v.size()), 1) / static_cast<double>(v.size());
}

double variance_of(std::vector<double> v) {
  if (v.size() < 2) return std::numeric_limits<double>::quiet_NaN();
  const double m = mean_of(v);
  double drift = 0;  // corrects for the rounding of the mean
  for (double& x : v) {
    x -= m;
    drift += x;
    x *= x;
  }
  const auto n = static_cast<double>(v.size());
  return (pairwise_sum(v.data(), static_cast<Index>(v.size()), 1) - drift * drift / n) / (n - 1);
}

double quantile_of(std::vector<double> v, double p) {
  if (v.empty()) fail("a quantile of no elements has no value");
  for (const double x : v)
    if (std::isnan(x)) return x;
  const double at = p * static_cast<double>(v.size() - 1);
  const auto k = static_cast<std::size_t>(std::floor(at));
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(k), v.end());
  const double low = v[k], part = at - static_cast<double>(k);
  if (part == 0) return low;
  const double high = *std::min_element(v.begin() + static_cast<std::ptrdiff_t>(k) + 1, v.end());
  return low == high ? low : low + part * (high - low);
}

}  // namespace

Array mean(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over, [](const double* v, Index n, const void* c) { return mean_of(line_of(v, n, c)); },
      &context);
}

Array variance(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over, [](const double* v, Index n, const void* c) { return variance_of(line_of(v, n, c)); },
      &context);
}

Array standard_deviation(const Array& a, const StatisticsOptions& options) {
  const Context context{options.skip_nan};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) { return std::sqrt(variance_of(line_of(v, n, c))); },
      &context);
}

Array quantile(const Array& a, double p, const StatisticsOptions& options) {
  if (!(p >= 0 && p <= 1))
    fail(fmt::format("a quantile is asked for by a share from 0 to 1, not {}", shortest(p)));
  const Context context{options.skip_nan, p};
  return reduce_lines(
      a, options.over,
      [](const double* v, Index n, const void* c) {
        return quantile_of(line_of(v, n, c), static_cast<const Context*>(c)->p);
      },
      &context);
}

Array reduce_without_nan(Reduction op, const Array& a, const Over& over) {
  const Context context{true, 0, op};
  return reduce_lines(
      a, over,
      [](const double* v, Index n, const void* c) {
        const auto line = line_of(v, n, c);
        return *reduce(static_cast<const Context*>(c)->op, Array::vector(line)).data<double>();
      },
      &context);
}

}  // namespace quill
