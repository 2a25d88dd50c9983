#include "numerics/statistics.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <iterator>
#include <limits>
#include <span>

#include "array/each_line.h"
#include "array/elementwise.h"
#include "array/line_sums.h"
#include "numerics/sorted.h"

namespace quill {

double between(double low, double high, double part) {
  if (part == 0 || low == high) return low;
  const double way = high - low;
  return std::isfinite(way) ? low + part * way : (1 - part) * low + part * high;
}

namespace statistics_of_lines {
namespace {

using Line = std::span<const double>;
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

// The shape of reductions.
Shape reduced_shape(const Array& a, const Over& over) {
  Shape shape = a.shape();
  if (!over.axis) return over.keep ? Shape::filled(a.axes(), 1) : Shape{};
  if (over.keep)
    shape[*over.axis] = 1;
  else
    shape.erase(*over.axis);
  return shape;
}

// f(k, line) for each line, as float64 numbers, with `skip_nan` without nan. One type alone: functions of
// lines are compiled, and vectorised, once.
template <class F>
void for_lines(const Array& a, const Over& over, bool skip_nan, const F& f) {
  for_each_line<double>(a.converted(ElementType::float64), over.axis, [&](Index k, Line line) {
    const auto is_nan = [](double x) { return std::isnan(x); };
    if (!skip_nan || std::none_of(line.begin(), line.end(), is_nan)) return f(k, line);
    std::vector<double> rest;
    std::copy_if(line.begin(), line.end(), std::back_inserter(rest), std::not_fn(is_nan));
    f(k, Line(rest));
  });
}

// f(line) for each line; `of_nothing` where `skip_nan` leaves nothing.
template <class F>
Array of_lines(const Array& a, const Over& over, bool skip_nan, const F& f, double of_nothing = kNone) {
  Array out(ElementType::float64, reduced_shape(a, over));
  double* const to = out.mutable_data<double>();
  const bool had_none = a.size() == 0 || (over.axis && a.extent(*over.axis) == 0);
  for_lines(a, over, skip_nan,
            [&, to](Index k, Line line) { to[k] = line.empty() && !had_none ? of_nothing : f(line); });
  return out;
}

struct Same {
  double operator()(double x) const { return x; }
};

// A power of two that scales the largest magnitude of f(x) to about 1, so that sums and squares neither
// overflow nor underflow.
template <class F>
double unit_of(Line line, const F& f) {
  double most = 0;
  for (const double x : line) most = std::max(most, std::fabs(f(x)));
  if (most == 0 || !std::isfinite(most) || (most > 1e-100 && most < 1e100)) return 1;
  return std::ldexp(1.0, std::ilogb(most));
}

template <class F>
double mean_of(Line line, const F& f) {
  if (line.empty()) fail("the mean of no elements is undefined");
  const auto n = static_cast<double>(line.size());
  const double mean = line_sum(line, f) / n;
  if (std::isfinite(mean)) return mean;
  const double unit = unit_of(line, f);
  if (unit == 1) return mean;
  return line_sum(line, [&](double x) { return f(x) / unit; }) / n * unit;
}

bool are_equal(Line line) {
  return std::isfinite(line[0]) &&
         std::all_of(line.begin(), line.end(), [&](double x) { return x == line[0]; });
}

// Deviations of f(x) from the mean, from which its rounding error is subtracted as well.
template <class F>
struct Deviation {
  F f;
  double mean = 0, rest = 0;
  double operator()(double x) const { return (f(x) - mean) - rest; }
};

template <class F>
Deviation<F> deviation_of(Line line, const F& f) {
  Deviation<F> out{f};
  out.mean = mean_of(line, f);
  out.rest = mean_of(line, [&](double x) { return f(x) - out.mean; });
  return out;
}

template <class F>
double squares_about_mean(Line line, const F& f) {
  const auto about_mean = deviation_of(line, f);
  return line_sum(line, [about_mean](double x) {
    const double d = about_mean(x);
    return d * d;
  });
}

struct Variance {
  double value, unit;  // in squares of the unit
};
Variance variance_of(Line line) {
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
template <int k>
double standard_moment(Line line) {
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

// Stores the quantiles for these fractions, which rise, `step` numbers apart.
void store_quantiles(std::vector<double> v, std::span<const double> rising, double* const to, Index step,
                     const char* what) {
  if (v.empty()) fail(fmt::format("{} of no elements is undefined", what));
  const auto nan = std::find_if(v.begin(), v.end(), [](double x) { return std::isnan(x); });
  auto from = v.begin();  // all before is less
  for (std::size_t j = 0; j < rising.size(); ++j) {
    double& out = to[static_cast<Index>(j) * step];
    out = kNone;
    if (nan != v.end()) continue;
    const double at = rising[j] * static_cast<double>(v.size() - 1);
    const auto middle = v.begin() + static_cast<Index>(std::floor(at));
    std::nth_element(from, middle, v.end());
    const double part = at - std::floor(at);
    out = part == 0 ? *middle : between(*middle, *std::min_element(middle + 1, v.end()), part);
    from = middle;
  }
}

}  // namespace
}  // namespace statistics_of_lines

using namespace statistics_of_lines;

Array mean(const Array& a, const StatisticsOptions& options) {
  // The sums of all columns are found row by row.
  if (!options.skip_nan && a.axes() == 2 && options.over.axis == 0 && a.extent(0) > 0) {
    auto means =
        apply(Binary::divide, reduce(Reduction::sum, a.converted(ElementType::float64), options.over),
              static_cast<double>(a.extent(0)));
    const double* const m = means.data<double>();
    if (std::all_of(m, m + means.size(), [](double x) { return std::isfinite(x); })) return means;
  }
  return of_lines(a, options.over, options.skip_nan, [](Line line) { return mean_of(line, Same()); });
}

Array variance(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](Line line) {
    const auto [value, unit] = variance_of(line);
    return value * unit * unit;
  });
}

Array standard_deviation(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](Line line) {
    const auto [value, unit] = variance_of(line);
    return std::sqrt(value) * unit;
  });
}

Array root_mean_square(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](Line line) {
    if (line.empty()) fail("the root mean square of no elements is undefined");
    const double unit = unit_of(line, Same());
    return std::sqrt(mean_of(line, [unit](double x) { return x / unit * (x / unit); })) * unit;
  });
}

Array skewness(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](Line line) { return standard_moment<3>(line); });
}

Array excess_kurtosis(const Array& a, const StatisticsOptions& options) {
  return of_lines(a, options.over, options.skip_nan, [](Line line) {
    constexpr double of_normal = 3;
    return standard_moment<4>(line) - of_normal;
  });
}

Array euclidean_norm(const Array& a, const StatisticsOptions& options) {
  return of_lines(
      a, options.over, options.skip_nan,
      [](Line line) {
        const auto in_units = [&](double unit) {
          return line_sum(line, [unit](double x) { return x / unit * (x / unit); });
        };
        const double plain = line_sum(line, [](double x) { return x * x; });
        constexpr double least = 1e-200;
        if (plain > least && std::isfinite(plain)) return std::sqrt(plain);
        const double unit = unit_of(line, Same());
        return unit == 1 ? std::sqrt(plain) : std::sqrt(in_units(unit)) * unit;
      },
      0);
}

std::vector<Array> quantiles(const Array& a, std::span<const double> fractions,
                             const StatisticsOptions& options) {
  for (const double p : fractions)
    if (!(p >= 0 && p <= 1))
      fail(fmt::format("the fraction of a quantile must be from 0 to 1, not {}", shortest(p)));
  const auto order = rising_order(fractions);
  std::vector<double> rising;
  for (const auto k : order) rising.push_back(fractions[k]);
  const Shape shape = reduced_shape(a, options.over);
  const Index lines = size_of(shape);
  std::vector<double> found(static_cast<std::size_t>(lines) * rising.size(), kNone);
  const bool had_none = a.size() == 0 || (options.over.axis && a.extent(*options.over.axis) == 0);
  for_lines(a, options.over, options.skip_nan, [&](Index k, Line line) {
    if (line.empty() && !had_none) return;
    store_quantiles({line.begin(), line.end()}, rising, found.data() + k, lines, options.what);
  });
  std::vector<Array> out(order.size());
  for (std::size_t j = 0; j < order.size(); ++j)
    out[order[j]] = Array::of<double>(
        shape, {found.data() + static_cast<Index>(j) * lines, static_cast<std::size_t>(lines)});
  return out;
}

Array quantile(const Array& a, double p, const StatisticsOptions& options) {
  return quantiles(a, {&p, 1}, options)[0];
}

Array reduce_without_nan(Reduction op, const Array& a, const Over& over) {
  const auto of = [op](Line line) { return reduce_line(op, line); };
  // The sum of nothing is 0; the least of nothing does not exist.
  return of_lines(a, over, true, of, op == Reduction::sum ? 0 : op == Reduction::product ? 1 : kNone);
}

}  // namespace quill
