#include "numerics/statistics.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <span>

#include "array/each_line.h"
#include "array/elementwise.h"
#include "array/line_sums.h"

namespace quill {

double between(double low, double high, double part) {
  if (part == 0 || low == high) return low;
  const double way = high - low;
  return std::isfinite(way) ? low + part * way : (1 - part) * low + part * high;
}

namespace statistics_of_lines {
namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

// f(line) for each line, as float64. With `skip_nan` lines without their nan; `of_nothing` where none are
// left.
template <class F>
Array of_lines(const Array& a, const Over& over, bool skip_nan, const F& f, double of_nothing = kNone) {
  Shape shape = a.shape();
  if (!over.axis)
    shape = over.keep ? Shape::filled(a.axes(), 1) : Shape{};
  else if (over.keep)
    shape[*over.axis] = 1;
  else
    shape.erase(*over.axis);
  Array out(ElementType::float64, shape);
  double* const to = out.mutable_data<double>();
  visit_numeric(a.type(), [&]<class T>(Tag<T>) {
    if constexpr (!std::is_same_v<T, Complex>)
      for_each_line<T>(a, over.axis, [&, to](Index k, std::span<const T> line) {
        if constexpr (std::is_floating_point_v<T>)
          if (skip_nan && std::any_of(line.begin(), line.end(), [](T x) { return std::isnan(x); })) {
            std::vector<double> rest;
            for (const T x : line)
              if (!std::isnan(x)) rest.push_back(static_cast<double>(x));
            to[k] = rest.empty() ? of_nothing : f(std::span<const double>(rest));
            return;
          }
        to[k] = f(line);
      });
  });
  return out;
}

struct Same {
  double operator()(double x) const { return x; }
};

// A power of two that scales the largest magnitude of f(x) to about 1, so that sums and squares neither
// overflow nor underflow.
template <class T, class F>
double unit_of(std::span<const T> line, const F& f) {
  double most = 0;
  for (const T x : line) most = std::max(most, std::fabs(f(static_cast<double>(x))));
  if (most == 0 || !std::isfinite(most) || (most > 1e-100 && most < 1e100)) return 1;
  return std::ldexp(1.0, std::ilogb(most));
}

template <class T, class F>
double mean_of(std::span<const T> line, const F& f) {
  if (line.empty()) fail("the mean of no elements is undefined");
  const auto n = static_cast<double>(line.size());
  const double mean = line_sum(line, f) / n;
  if (std::isfinite(mean)) return mean;
  const double unit = unit_of(line, f);
  if (unit == 1) return mean;
  return line_sum(line, [&](double x) { return f(x) / unit; }) / n * unit;
}

template <class T>
bool are_equal(std::span<const T> line) {
  return std::isfinite(static_cast<double>(line[0])) &&
         std::all_of(line.begin(), line.end(), [&](T x) { return x == line[0]; });
}

// Deviations of f(x) from the mean, from which its rounding error is subtracted as well.
template <class F>
struct Deviation {
  F f;
  double mean = 0, rest = 0;
  double operator()(double x) const { return (f(x) - mean) - rest; }
};

template <class T, class F>
Deviation<F> deviation_of(std::span<const T> line, const F& f) {
  Deviation<F> out{f};
  out.mean = mean_of(line, f);
  out.rest = mean_of(line, [&](double x) { return f(x) - out.mean; });
  return out;
}

template <class T, class F>
double squares_about_mean(std::span<const T> line, const F& f) {
  const auto about_mean = deviation_of(line, f);
  return line_sum(line, [about_mean](double x) {
    const double d = about_mean(x);
    return d * d;
  });
}

struct Variance {
  double value, unit;  // in squares of the unit
};
template <class T>
Variance variance_of(std::span<const T> line) {
  if (line.size() < 2) return {kNone, 1};
  if (are_equal(line)) return {0, 1};
  const auto n = static_cast<double>(line.size());
  const double plain = squares_about_mean(line, Same()) / (n - 1);
  constexpr double small = 1e-200;
  if (plain > small && std::isfinite(plain)) return {plain, 1};
  const double unit = unit_of(line, Same());
  if (unit == 1) return {plain, 1};
  return {squares_about_mean(line, [unit](double x) { return x / unit; }) / (n - 1), unit};
}

// The mean of the k-th powers of the deviations in units of the standard deviation.
template <int k, class T>
double standard_moment(std::span<const T> line) {
  if (line.size() < 2 || are_equal(line)) return kNone;
  const auto about_mean = deviation_of(line, Same());
  const double unit = unit_of(line, about_mean);
  const auto scaled = [about_mean, unit](double x) { return about_mean(x) / unit; };
  const double spread = std::sqrt(mean_of(line, [scaled](double x) { return scaled(x) * scaled(x); }));
  if (spread == 0) return kNone;
  return mean_of(line, [scaled, spread](double x) {
    const double d = scaled(x) / spread, square = d * d;
    return k == 3 ? square * d : square * square;
  });
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
  return between(low, *std::min_element(v.begin() + static_cast<std::ptrdiff_t>(k) + 1, v.end()), part);
}

}  // namespace
}  // namespace statistics_of_lines

using namespace statistics_of_lines;

Array mean(const Array& a, const StatisticsOptions& options) {
  // The sums of all columns are found row by row.
  if (a.type() == ElementType::float64 && !options.skip_nan && a.axes() == 2 && options.over.axis == 0 &&
      a.extent(0) > 0) {
    auto means =
        apply(Binary::divide, reduce(Reduction::sum, a, options.over), static_cast<double>(a.extent(0)));
    const double* const m = means.data<double>();
    if (std::all_of(m, m + means.size(), [](double x) { return std::isfinite(x); })) return means;
  }
  return of_lines(a, options.over, options.skip_nan, [](auto line) { return mean_of(line, Same()); });
}

Array variance(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](auto line) {
    const auto [value, unit] = variance_of(line);
    return value * unit * unit;
  });
}

Array standard_deviation(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](auto line) {
    const auto [value, unit] = variance_of(line);
    return std::sqrt(value) * unit;
  });
}

Array root_mean_square(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](auto line) {
    if (line.empty()) fail("the root mean square of no elements is undefined");
    const double unit = unit_of(line, Same());
    return std::sqrt(mean_of(line, [unit](double x) { return x / unit * (x / unit); })) * unit;
  });
}

Array skewness(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](auto line) { return standard_moment<3>(line); });
}

Array excess_kurtosis(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](auto line) {
    constexpr double of_normal = 3;
    return standard_moment<4>(line) - of_normal;
  });
}

Array quantile(const Array& a, double p, const StatisticsOptions& options) {
  if (!(p >= 0 && p <= 1))
    fail(fmt::format("the fraction of a quantile must be from 0 to 1, not {}", shortest(p)));
  return of_lines(a, options.over, options.skip_nan, [&](auto line) {
    return quantile_of(std::vector<double>(line.begin(), line.end()), p, options.what);
  });
}

Array reduce_without_nan(Reduction op, const Array& a, const Over& over) {
  const auto of = [op](auto line) {
    if constexpr (std::is_same_v<decltype(line), std::span<const double>>)
      return reduce_line(op, line);
    else
      return reduce_line(op, std::vector<double>(line.begin(), line.end()));
  };
  // The sum of nothing is 0; the least of nothing does not exist.
  return of_lines(a, over, true, of, op == Reduction::sum ? 0 : op == Reduction::product ? 1 : kNone);
}

}  // namespace quill
