// Reductions, running totals and statistics along axes.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/ranges.h"
#include "builtins/reduced.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/statistics.h"
#include "numerics/variables.h"

namespace quill {

namespace reductions_calls {
namespace {

// Whether the result for timestamps is one.
bool is_of_times(std::string_view name) {
  return name == "min" || name == "max" || name == "mean" || name == "median" || name == "quantile";
}

// Warns once if the array contains nan, which propagates to the result: searched for only then.
Value checked(const Call& call, const Array& a, Array result, bool skip_nan = false) {
  if (is_of_times(call.row.name)) result = as_times_like(a, std::move(result));
  const double without = is_real(result.type()) ? *reduce(Reduction::count_nan, result).data<double>() : 0;
  if (skip_nan && without > 0) {
    warn_of_undefined(call, without, result.size());
  } else if (without > 0 && is_real(a.type())) {
    const double n = *reduce(Reduction::count_nan, a).data<double>();
    if (n > 0)
      call.warn(fmt::format("{}: the argument contains {} nan among {} elements", call.row.name, shortest(n),
                            a.size()),
                "skip_nan: true ignores them");
  }
  return Value::array(std::move(result));
}

// A reduction of a range without creating its elements; nothing if they are needed.
std::optional<double> of_range(const Call& call) {
  if (!call.value(0).is(Kind::range)) return std::nullopt;
  for (std::size_t k = 1; k < call.row.parameters.size(); ++k)
    if (call.given(k)) return std::nullopt;
  return reduced(call.value(0).object<RangeObject>(), call.row.name);
}

Value reduction(Call& call, Reduction op) {
  if (const auto known = of_range(call)) return {*known};
  const auto r = reduced(call, 1, call.numbers(0));
  if (r.options.skip_nan && is_real(r.a.type())) {
    const auto out = reduce_without_nan(op, r.a, r.options.over).converted(r.a.type());
    return checked(call, r.a, r.in_shape(out), true);
  }
  if (r.options.skip_nan && r.a.type() == ElementType::complex128) {
    const auto known = pick(apply(Unary::is_nan, r.a), op == Reduction::sum ? 0.0 : 1.0, r.a);
    return Value::array(r.in_shape(reduce(op, known, r.options.over)));
  }
  return checked(call, r.a, r.in_shape(reduce(op, r.a, r.options.over)));
}

// min and max of several arrays, elementwise.
Value extreme_of_several(Call& call, bool maximum) {
  if (call.given(3))
    call.fail_argument(3, "can be used with one array only", fmt::format("{}(a, over: 1)", call.row.name));
  const auto op = maximum ? Binary::maximum : Binary::minimum;
  const bool skips = call.boolean_or(5, false);
  const auto both = [&](const Operand& a, const Operand& b) {
    const auto out = apply(op, a, b);
    if (!skips || !is_real(out.type())) return out;
    // Where one side is nan the other one counts.
    return pick(apply(Unary::is_nan, a), b, pick(apply(Unary::is_nan, b), a, out));
  };
  Array hold_a, hold_b;
  const auto a = call.operand(0, hold_a), b = call.operand(1, hold_b);
  auto out = both(a, b);
  for (const auto& more : call.many()) {
    const auto next = to_array(more, call.row.name);
    if (!is_numeric(next.type()) || next.type() == ElementType::complex128)
      fail(fmt::format("{} requires real numbers, not {}", call.row.name, kind_in_words(more)));
    out = both(out, next);
  }
  return Value::array(std::move(out));
}

// min and max: of several arrays elementwise, of one over its elements.
Value extreme(Call& call, bool maximum) {
  const auto& many = call.many();
  const auto is_number = [](const Value& v) { return v.is_number(); };
  if (is_number(call.value(0)) && is_number(call.value(1)) &&
      std::all_of(many.begin(), many.end(), is_number) && !call.given(3) && !call.given(5)) {
    const auto op = maximum ? Binary::maximum : Binary::minimum;
    double out = apply(op, call.value(0).number(), call.value(1).number());
    for (const auto& more : many) out = apply(op, out, more.number());
    return {out};
  }
  if (call.given(1)) return extreme_of_several(call, maximum);
  if (const auto known = of_range(call)) return {*known};
  const auto r = reduced(call, 3, call.ordered(0));
  const auto op = maximum ? Reduction::maximum : Reduction::minimum;
  const bool skips = r.options.skip_nan && is_real(r.a.type());
  const auto out = skips ? reduce_without_nan(op, r.a, r.options.over).converted(r.a.type())
                         : reduce(op, r.a, r.options.over);
  return checked(call, r.a, r.in_shape(out), r.options.skip_nan);
}

using Statistic = Array (*)(const Array&, const StatisticsOptions&);

Value statistic(Call& call, Statistic f) {
  if (const auto known = of_range(call)) return {*known};
  const auto r = reduced(call, 1, call.ordered(0));
  return checked(call, r.a, r.in_shape(f(r.a, r.options)), r.options.skip_nan);
}

// The same where complex numbers have it too: `joined` puts the results of their parts together.
Value statistic(Call& call, Statistic f, Array (*joined)(const Array&, const Array&)) {
  if (!call.value(0).is_array_like() || element_type_of(call.value(0)) != ElementType::complex128)
    return statistic(call, f);
  const auto r = reduced(call, 1, call.numbers(0));
  return Value::array(
      r.in_shape(joined(f(apply(Unary::real, r.a), r.options), f(apply(Unary::imag, r.a), r.options))));
}

Array sum_of(const Array& a, const Array& b) { return apply(Binary::add, a, b); }
Array root_of_squares(const Array& a, const Array& b) { return apply(Binary::hypot, a, b); }

Array median(const Array& a, const StatisticsOptions& given) {
  auto options = given;
  options.what = "the median";
  return quantile(a, 0.5, options);
}

// Fast paths for short vectors; the rows warn of results that are not finite.
template <Reduction op>
bool reduce_vector(std::span<const double> given, double* result) {
  *result = reduce_line(op, given);
  return std::isfinite(*result);
}
template <Array (*f)(const Array&, const StatisticsOptions&)>
bool statistic_of_vector(std::span<const double> given, double* result) {
  const Array line = Array::vector(std::vector<double>(given.begin(), given.end()));
  const Array reduced = f(line, {});
  *result = *reduced.data<double>();
  return std::isfinite(*result);
}
template <bool maximum>
bool arg_of_vector(std::span<const double> given, double* result) {
  const auto is_before = [](double x, double y) { return maximum ? x > y : x < y; };
  if (std::any_of(given.begin(), given.end(), [](double x) { return std::isnan(x); })) return false;
  *result = static_cast<double>(std::min_element(given.begin(), given.end(), is_before) - given.begin() + 1);
  return true;
}

bool (*fast_path(std::string_view name))(std::span<const double>, double*) {
  if (name == "product") return reduce_vector<Reduction::product>;
  if (name == "min") return reduce_vector<Reduction::minimum>;
  if (name == "max") return reduce_vector<Reduction::maximum>;
  if (name == "mean") return statistic_of_vector<mean>;
  if (name == "median") return statistic_of_vector<median>;
  if (name == "variance") return statistic_of_vector<variance>;
  if (name == "std") return statistic_of_vector<standard_deviation>;
  if (name == "rms") return statistic_of_vector<root_mean_square>;
  if (name == "argmin") return arg_of_vector<false>;
  if (name == "argmax") return arg_of_vector<true>;
  if (name == "norm")
    return [](std::span<const double> given, double* result) {
      *result = norm(given);
      return std::isfinite(*result);
    };
  return nullptr;
}

Value boolean(Call& call, Reduction op) {
  if (const auto known = of_range(call)) return Value::boolean(*known != 0);
  auto a = call.array(0);
  if (a.size() == 0 && is_numeric(a.type())) a = a.converted(ElementType::boolean);  // the type of [] is open
  const auto r = reduced(call, 1, a);
  return Value::array(r.in_shape(reduce(op, r.a, r.options.over)));
}

// Of all elements, each with a weight.
Value weighted_quantile_row(Call& call) {
  constexpr std::size_t weights = 5;
  for (const std::size_t i : {2, 3})
    if (call.given(i)) call.fail_argument(i, "cannot be used with weights", "quantile(a, 0.5, weights: w)");
  auto values = call.reals(0).to_vector<double>(), w = call.reals(weights).to_vector<double>();
  if (shape_of(call.value(0)) != shape_of(call.value(weights)))
    call.fail_argument(weights,
                       fmt::format("must have the shape of `a`, {}; not {}", text_of(shape_of(call.value(0))),
                                   text_of(shape_of(call.value(weights)))));
  const bool skip = call.boolean_or(4, false);
  std::size_t to = 0;
  for (std::size_t k = 0; k < values.size(); ++k) {
    if (!(w[k] >= 0) || std::isinf(w[k])) call.fail_argument(weights, "must be finite numbers from 0");
    if (std::isnan(values[k]) && !skip)
      call.fail_argument(0, fmt::format("contains nan at position {}", k + 1), "skip_nan: true ignores them");
    if (std::isnan(values[k])) continue;
    values[to] = values[k];
    w[to++] = w[k];
  }
  values.resize(to);
  w.resize(to);
  std::vector<double> out;
  for (const double p : call.reals(1).to_vector<double>()) {
    if (!(p >= 0 && p <= 1))
      call.fail_argument(1, fmt::format("must be fractions from 0 to 1, not {}", shortest(p)));
    out.push_back(weighted_quantile(values, w, p));
  }
  return shape_of(call.value(1)).empty() ? Value(out.at(0)) : Value::array(Array::vector(out));
}

Value quantile_row(Call& call) {
  if (call.given(5) && !call.value(5).is(Kind::none)) return weighted_quantile_row(call);
  const auto r = reduced(call, 2, call.ordered(0));
  const auto shares = call.reals(1);
  if (shares.axes() == 0)
    return checked(call, r.a, r.in_shape(quantile(r.a, call.number(1), r.options)), r.options.skip_nan);
  // Several probabilities form a first axis of the result.
  const auto fractions = call.vector(1).to_vector<double>();
  if (fractions.empty()) call.fail_argument(1, "must contain at least one fraction");
  auto each = quantiles(r.a, fractions, r.options);
  for (auto& one : each) one = r.in_shape(one);
  return checked(call, r.a, stack(each), r.options.skip_nan);
}

Value norm_row(Call& call) {
  if (const auto known = of_range(call)) return {*known};
  const auto a = call.numbers(0);
  if (call.given(1)) {
    if (call.given(2) || call.given(3))
      call.fail_argument(1, "applies to a whole vector or matrix and cannot be combined with an axis");
    return checked(call, a, Array::single(norm(a, call.number(1))));
  }
  if (!call.given(2) && !call.given(3) && !call.given(4)) return checked(call, a, Array::single(norm(a)));
  const auto r = reduced(call, 2, a);
  const auto out =
      euclidean_norm(a.type() == ElementType::complex128 ? apply(Unary::abs, r.a) : r.a, r.options);
  return checked(call, a, r.in_shape(out));
}

Value arg_row(Call& call, bool maximum) {
  if (const auto known = of_range(call)) return {*known};
  const auto r = reduced(call, 1, call.ordered(0));
  return Value::array(r.in_shape(arg_extreme(r.a, maximum, r.options.over)));
}

const Parameter kOver = {"over", "axis to reduce, or a vector of axes; none: all", "none"};
const Parameter kKeep = {"keep", "whether to keep the axis, with length 1", "false"};
const Parameter kSkip = {"skip_nan", "whether to ignore nan elements", "false"};
const Parameter kNumbers = {"a", "array of numbers, any shape", ""};
constexpr std::string_view kReduced = "a number, or an array without the axis `over`";

}  // namespace
}  // namespace reductions_calls

std::vector<Builtin> reduction_rows() {
  using namespace reductions_calls;
  std::vector<Builtin> rows = {
      {
          .name = "sum",
          .family = "reductions",
          .summary = "Sum of all elements, or along an axis; for booleans, the number of true elements.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .source = "pairwise summation in a fixed order (N. J. Higham, SIAM J. Sci. Comput. 14, 1993)",
          .example = "m = [1, 2, 3 | 4, 5, 6]\nsum(m)\nsum(m, over: 1)",
          .output = "sum(m) = 21\nsum(m, over: 1) : float64 3\n  5  7  9",
          .run = [](Call& c) { return reduction(c, Reduction::sum); },
          .reduction = Reduction::sum,
      },
      {
          .name = "product",
          .family = "reductions",
          .summary = "Product of all elements, or along an axis.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .example = "product(1..5)",
          .output = "product(1..5) = 120",
          .run = [](Call& c) { return reduction(c, Reduction::product); },
      },
      {
          .name = "mean",
          .family = "reductions",
          .summary = "Arithmetic mean.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "mean([2, 4, 9])",
          .output = "mean([2, 4, 9]) = 5",
          .run = [](Call& c) { return statistic(c, mean, complex_from); },
          .reduction = Reduction::sum,
          .divides_by_count = true,
      },
      {
          .name = "median",
          .family = "reductions",
          .summary = "Median.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "median([7, 1, 3])",
          .output = "median([7, 1, 3]) = 3",
          .run = [](Call& c) { return statistic(c, median); },
      },
      {
          .name = "variance",
          .family = "reductions",
          .summary = "Sample variance, with n - 1 in the denominator.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .source =
              "two passes with a correction (T. F. Chan, G. H. Golub, R. J. LeVeque, Am. Stat. 37, 1983)",
          .example = "variance([1, 2, 3, 4])",
          .output = "variance([1, 2, 3, 4]) = 1.6667",
          .run = [](Call& c) { return statistic(c, variance, sum_of); },
      },
      {
          .name = "std",
          .family = "reductions",
          .summary = "Sample standard deviation, with n - 1 in the denominator.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .example = "std([2, 4, 4, 4, 5, 5, 7, 9])",
          .output = "std([2, 4, 4, 4, 5, 5, 7, 9]) = 2.1381",
          .run = [](Call& c) { return statistic(c, standard_deviation, root_of_squares); },
      },
      {
          .name = "min",
          .family = "reductions",
          .summary = "Smallest element; with several arrays, the elementwise minimum.",
          .parameters = {kNumbers,
                         {"b", "second array, compared element by element", "none"},
                         {"more", "further arrays", "none", true},
                         kOver,
                         kKeep,
                         kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "min([3, 1, 2])\nmin([3, 1, 2], 2)",
          .output = "min([3, 1, 2]) = 1\nmin([3, 1, 2], 2) : float64 3\n  2  1  2",
          .run = [](Call& c) { return extreme(c, false); },
          .binary = Binary::minimum,
          .reduction = Reduction::minimum,
      },
      {
          .name = "max",
          .family = "reductions",
          .summary = "Largest element; with several arrays, the elementwise maximum.",
          .parameters = {kNumbers,
                         {"b", "second array, compared element by element", "none"},
                         {"more", "further arrays", "none", true},
                         kOver,
                         kKeep,
                         kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "max([3, 1, 2])\nmax([-3, 1], 0)",
          .output = "max([3, 1, 2]) = 3\nmax([-3, 1], 0) : float64 2\n  0  1",
          .run = [](Call& c) { return extreme(c, true); },
          .binary = Binary::maximum,
          .reduction = Reduction::maximum,
      },
      {
          .name = "any",
          .family = "reductions",
          .summary = "Test whether any element is true.",
          .parameters = {{"a", "booleans", ""}, kOver, kKeep},
          .returns = "a boolean, or an array without the axis `over`",
          .example = "any([1, 5, 2] > 4)",
          .output = "any([1, 5, 2] > 4) = true",
          .run = [](Call& c) { return boolean(c, Reduction::any); },
      },
      {
          .name = "all",
          .family = "reductions",
          .summary = "Test whether all elements are true.",
          .parameters = {{"a", "booleans", ""}, kOver, kKeep},
          .returns = "a boolean, or an array without the axis `over`",
          .example = "all([1, 5, 2] > 4)",
          .output = "all([1, 5, 2] > 4) = false",
          .run = [](Call& c) { return boolean(c, Reduction::all); },
      },
      {
          .name = "quantile",
          .family = "reductions",
          .summary =
              "Quantile: the value below which a fraction p of the elements lies, interpolated linearly.",
          .parameters =
              {kNumbers,
               {"p", "fraction from 0 to 1, or a vector of fractions", ""},
               kOver,
               kKeep,
               kSkip,
               {"weights",
                "weight of each element, of the shape of a; proportional weights give the same result",
                "none"}},
          .returns = "a number, or an array without the axis `over`; several fractions add a first axis",
          .errors = "if p is outside 0 to 1; if there are no elements",
          .source = "R. J. Hyndman, Y. Fan, Am. Stat. 50, 1996, definition 7",
          .example = "quantile(0..10, 0.25)\nquantile(0..10, [0.1, 0.9])",
          .output = "quantile(0..10, 0.25) = 2.5\nquantile(0..10, [0.1, 0.9]) : float64 2\n  1  9",
          .run = quantile_row,
      },
      {
          .name = "norm",
          .family = "reductions",
          .summary = "Norm of a vector (Euclidean by default) or of a matrix (Frobenius by default).",
          .parameters =
              {kNumbers,
               {"order",
                "order: for a matrix 1, 2 or inf (operator norms); for a vector a number from 1, or inf",
                "none"},
               kOver,
               kKeep,
               kSkip},
          .returns = kReduced,
          .example = "norm([3, 4])\nnorm([3, 4], 1)",
          .output = "norm([3, 4]) = 5\nnorm([3, 4], 1) = 7",
          .run = norm_row,
      },
      {
          .name = "rms",
          .family = "reductions",
          .summary = "Root mean square.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "rms([3, -3, 3, -3])",
          .output = "rms([3, -3, 3, -3]) = 3",
          .run = [](Call& c) { return statistic(c, root_mean_square); },
      },
      {
          .name = "skewness",
          .family = "reductions",
          .summary = "Skewness: the third central moment in units of the standard deviation.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = "a number, or an array without the axis `over`; nan if all elements are equal",
          .source = "population moments, with n in the denominators",
          .example = "skewness([1, 1, 1, 5])",
          .output = "skewness([1, 1, 1, 5]) = 1.1547",
          .run = [](Call& c) { return statistic(c, skewness); },
      },
      {
          .name = "kurtosis",
          .family = "reductions",
          .summary =
              "Excess kurtosis: the fourth central moment in units of the standard deviation, minus 3.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = "a number, or an array without the axis `over`; nan if all elements are equal",
          .source = "population moments, with n in the denominators",
          .example = "kurtosis([1, 2, 1, 2])",
          .output = "kurtosis([1, 2, 1, 2]) = -2",
          .run = [](Call& c) { return statistic(c, excess_kurtosis); },
      },
      {
          .name = "argmin",
          .family = "reductions",
          .summary = "Index of the smallest element, counted in row order without an axis; nan is ignored.",
          .parameters = {kNumbers, kOver, kKeep},
          .returns = "an index, or an array of indices",
          .errors = "no elements",
          .example = "argmin([3, 1, 2])",
          .output = "argmin([3, 1, 2]) = 2",
          .run = [](Call& c) { return arg_row(c, false); },
      },
      {
          .name = "argmax",
          .family = "reductions",
          .summary = "Index of the largest element, counted in row order without an axis; nan is ignored.",
          .parameters = {kNumbers, kOver, kKeep},
          .returns = "an index, or an array of indices",
          .errors = "no elements",
          .example = "argmax([3, 1, 2])",
          .output = "argmax([3, 1, 2]) = 1",
          .run = [](Call& c) { return arg_row(c, true); },
      },
  };
  for (auto& row : rows)
    if (const auto run = fast_path(row.name)) row.of_numbers = OfNumbers{{0}, 1, run};
  return rows;
}

}  // namespace quill
