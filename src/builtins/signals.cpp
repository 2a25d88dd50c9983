// Series of samples: moving reductions, peaks, lags, phases.
#include "numerics/signals.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "array/elementwise.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "numerics/filters.h"
#include "numerics/interpolation.h"
#include "numerics/linear_algebra.h"
#include "numerics/lines.h"
#include "value/runtime.h"

namespace quill {

namespace signal_calls {
namespace {

constexpr std::string_view kFamily = "signals";

Ends ends_of(const Call& call, std::size_t i) {
  const auto word = call.one_of(i);
  return word == "nan" ? Ends::nan : word == "mirror" ? Ends::mirror : Ends::shrink;
}

// The moving reduction that computes the same as this built-in in each window; nothing for other functions.
std::optional<Moving> known_reduction(const Value& f) {
  if (!f.is(Kind::builtin)) return std::nullopt;
  const auto name = f.object<BuiltinObject>().row->name;
  constexpr std::pair<std::string_view, Moving> known[] = {
      {"sum", Moving::sum},     {"mean", Moving::mean},     {"min", Moving::minimum},
      {"max", Moving::maximum}, {"median", Moving::median}, {"variance", Moving::variance},
      {"std", Moving::std}};
  for (const auto& [word, op] : known)
    if (name == word) return op;
  return std::nullopt;
}

Value moving_row(Call& call) {
  const Value& f = call.callable(0);
  auto y = call.reals(1);
  if (y.axes() == 0) call.fail_argument(1, "must be an array, not a single number");
  y.label = call.label(1);
  const auto window = call.given(2) ? call.whole(2) : 5;
  const auto ends = ends_of(call, 3);
  const bool skip = call.boolean_or(4, false);
  const int axis = axis_argument(call, 5, y);
  if (const auto op = known_reduction(f))
    return Value::array(by_lines(
        y, axis, [&](std::span<const double> line) { return moving(*op, line, window, ends, skip); }));
  const auto of_window = [&](std::span<const double> inside) {
    const Value arguments[] = {Value::array(Array::of<double>({static_cast<Index>(inside.size())}, inside))};
    const auto result = single_real(numeric_value(call.runtime.call(f, arguments)));
    if (!result) call.fail_argument(0, "must return a single number");
    return *result;
  };
  return Value::array(by_lines(
      y, axis, [&](std::span<const double> line) { return moving(of_window, line, window, ends, skip); }));
}

Value peaks_row(Call& call) {
  const auto y = call.vector(0);
  refuse_not_finite(y, "y");
  PeakLimits limits;
  limits.prominence = call.number_or(1, 0);
  limits.height = call.number_or(2, limits.height);
  limits.distance = call.given(3) ? call.whole(3) : 1;
  std::vector<double> positions, heights, prominences, widths;
  for (const auto& p : peaks(y.to_vector<double>(), limits)) {
    positions.push_back(p.position);
    heights.push_back(p.height);
    prominences.push_back(p.prominence);
    widths.push_back(p.width);
  }
  return Value::record({{"positions", Value::array(Array::vector(positions))},
                        {"heights", Value::array(Array::vector(heights))},
                        {"prominences", Value::array(Array::vector(prominences))},
                        {"widths", Value::array(Array::vector(widths))}});
}

Value crossings_row(Call& call) {
  const auto x = call.vector(0), y = call.vector(1);
  if (x.size() != y.size())
    call.fail_argument(1, fmt::format("must have as many elements as `x`, {}; not {}", x.size(), y.size()));
  auto out = Array::vector(zero_crossings(x.to_vector<double>(), y.to_vector<double>()));
  out.label = call.label(0);
  return Value::array(std::move(out));
}

Array samples_of(const Call& call, std::size_t i) {
  auto y = call.vector(i);
  refuse_not_finite(y, "y");
  if (y.size() < 2) call.fail_argument(i, "must have at least 2 samples");
  return y;
}

Value unwrap_row(Call& call) {
  auto a = call.reals(0);
  if (a.axes() == 0) call.fail_argument(0, "must be an array, not a single number");
  const double period = call.number_or(1, 2 * std::acos(-1.0));
  return Value::array(by_lines(a, axis_argument(call, 2, a),
                               [&](std::span<const double> line) { return unwrapped(line, period); }));
}

Value autocorrelation_row(Call& call) {
  const auto y = samples_of(call, 0);
  const auto lags = call.given(1) ? call.whole(1) : std::min<Index>(20, y.size() - 1);
  return Value::array(Array::vector(autocorrelation(y.to_vector<double>(), lags)));
}

Value lagged_row(Call& call) {
  const auto x = call.vector(0).to_vector<double>(), y = call.vector(1).to_vector<double>();
  if (x.size() != y.size())
    call.fail_argument(1, fmt::format("must have as many elements as `x`, {}; not {}", x.size(), y.size()));
  for (std::size_t i = 0; i < 2; ++i)
    for (const double v : i == 0 ? x : y)
      if (std::isinf(v)) call.fail_argument(i, "contains an infinite number");
  std::vector<Index> lags;
  if (call.given(2)) {
    for (const double lag : call.vector(2).to_vector<double>()) {
      if (std::trunc(lag) != lag || std::fabs(lag) >= static_cast<double>(x.size()))
        call.fail_argument(
            2, fmt::format("must be integers of less than the {} samples, not {}", x.size(), shortest(lag)));
      lags.push_back(static_cast<Index>(lag));
    }
  } else {
    const Index most = std::min<Index>(10, static_cast<Index>(x.size()) - 1);
    for (Index k = -most; k <= most; ++k) lags.push_back(k);
  }
  const auto result = lag_correlation(x, y, lags);
  std::vector<double> as_numbers(lags.begin(), lags.end());
  return Value::record({{"lag", Value::array(Array::vector(as_numbers))},
                        {"correlation", Value::array(Array::vector(result.coefficient))},
                        {"p", Value::array(Array::vector(result.p))},
                        {"pairs", Value::array(Array::vector(result.pairs))}});
}

// Mean distance of increasing points; throws Error if they do not increase.
double mean_spacing(const Call& call, std::size_t i, const std::vector<double>& x) {
  for (std::size_t k = 1; k < x.size(); ++k)
    if (!(x[k] > x[k - 1])) call.fail_argument(i, fmt::format("must rise; element {} does not", k + 1));
  return (x.back() - x.front()) / static_cast<double>(x.size() - 1);
}

Value resample_row(Call& call) {
  const auto x = call.vector(0), y = samples_of(call, 1);
  auto onto = call.vector(2);
  if (x.size() != y.size())
    call.fail_argument(1, fmt::format("must have as many elements as `x`, {}; not {}", x.size(), y.size()));
  const auto from = x.to_vector<double>(), to = onto.to_vector<double>();
  const double given = mean_spacing(call, 0, from);
  const double wanted = to.size() > 1 ? mean_spacing(call, 2, to) : given;
  InterpolantOptions linear, spline;
  spline.method = x.size() > 3 ? InterpolationMethod::spline : InterpolationMethod::linear;
  TableResult result;
  constexpr double slightly = 1 + 1e-9;
  if (wanted <= given * slightly) {
    result = Interpolant(x, y, spline).evaluate(onto);
  } else {
    // On equally spaced points, where the filter works, and from there onto the wanted ones.
    std::vector<double> even;
    for (std::size_t k = 0; k < from.size(); ++k)
      even.push_back(k + 1 == from.size() ? from.back() : from.front() + given * static_cast<double>(k));
    const auto grid = Array::vector(even);
    const auto samples = Interpolant(x, y, linear).evaluate(grid).values.to_vector<double>();
    constexpr int order = 8;
    constexpr double share = 0.4;  // of the wanted sampling rate
    const auto f = Filter::butterworth(order, {share / wanted, share / wanted}, PassKind::low, given);
    result = Interpolant(grid, Array::vector(f.applied(samples, false)), spline).evaluate(onto);
  }
  if (result.outside > 0)
    call.warn(
        fmt::format("{} of {} points are outside of the samples and became nan", result.outside, to.size()));
  result.values.label = call.label(1);
  return Value::array(std::move(result.values));
}

}  // namespace
}  // namespace signal_calls

std::vector<Builtin> signal_rows() {
  using namespace signal_calls;
  const Parameter over = {"over", "axis", "1"};
  return {
      {
          .name = "moving",
          .family = kFamily,
          .summary = "Apply a reduction to a window around each element.",
          .parameters =
              {called_with(1, {"f",
                               "sum, mean, min, max, median, variance or std (computed in linear time), or a "
                               "function of "
                               "a vector that returns a number",
                               ""}),
               {"y", "an array", ""},
               {"window", "number of elements of the window; of an even one, one more behind", "5"},
               one_of({"ends", "at the ends: \"shrink\" the window, \"nan\", or \"mirror\" the elements",
                       "\"shrink\""},
                      choices::kMovingEnds),
               {"skip_nan", "whether nan elements are left out; otherwise their windows are nan", "false"},
               over},
          .returns = "array of the shape of y",
          .errors = "if f does not return a number",
          .source = "sums in twice the digits; extremes by a monotone queue; medians by two ordered halves",
          .example = "moving(median, [1, 9, 2, 3, 8], window: 3)",
          .output = "moving(median, [1, 9, 2, 3, 8], window: 3) : float64 5\n  5.0  2.0  3.0  3.0  5.5",
          .run = moving_row,
      },
      {
          .name = "peaks",
          .family = kFamily,
          .summary = "Find local maxima, with their prominence and width.",
          .parameters = {{"y", "vector of samples", ""},
                         {"prominence", "smallest height above the higher of the two valleys beside the peak",
                          "0"},
                         {"height", "smallest height", "none"},
                         {"distance",
                          "smallest distance in positions; of two nearer peaks the lower is left out", "1"}},
          .returns = "a record of vectors: positions (from 1; the middle of flat tops), heights, "
                     "prominences, widths (in "
                     "positions, at half of the prominence)",
          .errors = "if data are nan",
          .example = "p = peaks([0, 2, 1, 4, 0, 1, 0], prominence: 0.5)\np.positions\np.prominences",
          .output = "p.positions : float64 3\n  2  4  6\np.prominences : float64 3\n  1  4  1",
          .run = peaks_row,
      },
      {
          .name = "zero_crossings",
          .family = kFamily,
          .summary = "Find where a line through points crosses zero.",
          .parameters = {{"x", "rising vector", ""},
                         {"y", "vector of the same length; nan elements are gaps", ""}},
          .returns = "vector of the x at the crossings, by linear interpolation",
          .errors = "if x does not rise",
          .example = "zero_crossings([0, 1, 2], [1, -1, 3])",
          .output = "zero_crossings([0, 1, 2], [1, -1, 3]) : float64 2\n  0.50  1.25",
          .run = crossings_row,
      },
      {
          .name = "analytic_signal",
          .family = kFamily,
          .summary = "Analytic signal: the samples plus i times their Hilbert transform.",
          .parameters = {{"y", "vector of samples", ""}},
          .returns = "complex vector; its abs is the envelope, its phase the instantaneous phase",
          .errors = "if data are nan",
          .source = "D. Gabor, J. IEE 93, 1946; Fourier transforms, which continue the samples periodically",
          .example = "t = (0..63) * pi/16\nnear(phase(analytic_signal(cos(t)))[5], pi/4)",
          .output = "near(phase(analytic_signal(cos(t)))[5], pi/4) = true",
          .run = [](Call& c) { return Value::array(analytic_signal(samples_of(c, 0))); },
      },
      {
          .name = "envelope",
          .family = kFamily,
          .summary = "Envelope of an oscillation: the size of its analytic signal.",
          .parameters = {{"y", "vector of samples, without its mean", ""}},
          .returns = "a vector",
          .errors = "if data are nan",
          .source = "D. Gabor, J. IEE 93, 1946",
          .example = "t = (0..63) * pi/16\nnear(envelope(3*cos(t)), 3*ones(64))",
          .output = "near(envelope(3*cos(t)), 3*ones(64)) = true",
          .run = [](Call& c) { return Value::array(apply(Unary::abs, analytic_signal(samples_of(c, 0)))); },
      },
      {
          .name = "unwrap",
          .family = kFamily,
          .summary = "Remove jumps of a whole period from phases.",
          .parameters = {{"phase", "an array; nan elements stay", ""},
                         {"period", "the period", "2*pi"},
                         over},
          .returns = "array of the shape of phase, in which neighbours differ by at most half a period",
          .example = "unwrap([350, 10, 30, 340], period: 360)",
          .output = "unwrap([350, 10, 30, 340], period: 360) : float64 4\n  350  370  390  340",
          .run = unwrap_row,
      },
      {
          .name = "resample",
          .family = kFamily,
          .summary = "Bring samples onto other points; onto coarser ones behind an anti-alias low pass.",
          .parameters = {{"x", "rising vector", ""},
                         {"y", "vector of samples at x", ""},
                         {"onto", "rising vector of new points", ""}},
          .returns = "vector of the length of onto; nan outside of x, with a warning",
          .errors = "if x does not rise; if data are nan",
          .source =
              "cubic spline; Butterworth low pass of order 8, both ways, at 0.4 of the new sampling rate",
          .example = "t = 0..10 by 0.1\ny = resample(t, sin(t), onto: [1, 1.05])\nnear(y, sin([1, 1.05]), "
                     "absolute: 1e-5)",
          .output = "near(y, sin([1, 1.05]), absolute: 1e-5) = true",
          .run = resample_row,
      },
      {
          .name = "autocorrelation",
          .family = kFamily,
          .summary = "Autocorrelation coefficients of a series.",
          .parameters = {{"y", "vector of equally spaced samples", ""}, {"lags", "largest lag", "20"}},
          .returns = "vector for the lags 0 to `lags`; the first element is 1. Sums are divided by the "
                     "number of samples",
          .errors = "if data are nan",
          .source = "G. E. P. Box, G. M. Jenkins, Time Series Analysis, 1970",
          .example = "autocorrelation([1, 2, 3, 4, 5], lags: 2)",
          .output = "autocorrelation([1, 2, 3, 4, 5], lags: 2) : float64 3\n   1.0   0.4  -0.1",
          .run = autocorrelation_row,
      },
      {
          .name = "lagged_correlation",
          .family = kFamily,
          .summary = "Correlation of two series at lags, with its significance.",
          .parameters = {{"x", "vector of equally spaced samples", ""},
                         {"y", "vector of the same length", ""},
                         {"lags", "vector of integers; positive where y follows x", "-10..10"}},
          .returns = "a record of vectors: lag, correlation (of x[k] and y[k + lag]), p (for as many "
                     "independent pairs as the "
                     "autocorrelation of both leaves), pairs; pairs with nan are left out",
          .errors = "if the lengths differ",
          .source = "C. S. Bretherton et al., J. Climate 12, 1999",
          .example = "x = sin(0.3 * (0..99))\nc = lagged_correlation(x, sin(0.3 * ((0..99) - "
                     "4)))\nc.lag[argmax(c.correlation)]",
          .output = "c.lag[argmax(c.correlation)] = 4",
          .run = lagged_row,
      },
  };
}

}  // namespace quill
