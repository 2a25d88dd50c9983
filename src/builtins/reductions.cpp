// Reductions, running totals and statistics along axes.
#include <fmt/format.h>

#include <cmath>
#include <utility>

#include "array/elementwise.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/statistics.h"

namespace quill {

namespace {

// The arguments over:, keep: and skip_nan: from position `at` on.
StatisticsOptions options_of(const Call& call, std::size_t at, int axes) {
  StatisticsOptions o;
  if (call.given(at) && !call.value(at).is(Kind::none)) o.over.axis = checked_axis(call.number(at), axes);
  o.over.keep = call.truth_or(at + 1, false);
  if (at + 2 < call.row.parameters.size()) o.skip_nan = call.truth_or(at + 2, false);
  return o;
}

// A reduction that met NaN says so once. NaN goes through to the result, so only then it is looked for.
Value checked(const Call& call, const Array& a, Array result) {
  if (result.type() == ElementType::float64 && a.type() == ElementType::float64 &&
      *reduce(Reduction::count_nan, result).data<double>() > 0) {
    const double n = *reduce(Reduction::count_nan, a).data<double>();
    if (n > 0)
      call.warn(fmt::format("{} met {} nan among {} elements", call.row.name, shortest(n), a.size()),
                "skip_nan: true leaves them out");
  }
  return Value::array(std::move(result));
}

Value reduction(Call& call, Reduction op) {
  const auto a = call.numbers(0);
  const auto o = options_of(call, 1, a.axes());
  if (o.skip_nan && a.type() == ElementType::float64) return Value::array(reduce_without_nan(op, a, o.over));
  return checked(call, a, reduce(op, a, o.over));
}

// min and max: of two arrays elementwise, of one over its elements.
Value extreme(Call& call, bool maximum) {
  if (call.value(0).is_number() && call.value(1).is_number() && !call.given(2))
    return {
        apply(maximum ? Binary::maximum : Binary::minimum, call.value(0).number(), call.value(1).number())};
  const auto a = call.ordered(0);
  if (call.given(1)) {
    if (call.given(2))
      call.fail_argument(2, "goes with one array only", fmt::format("{}(a, over: 1)", call.row.name));
    Array hold_a, hold_b;
    return Value::array(
        apply(maximum ? Binary::maximum : Binary::minimum, call.operand(0, hold_a), call.operand(1, hold_b)));
  }
  const auto o = options_of(call, 2, a.axes());
  const auto op = maximum ? Reduction::maximum : Reduction::minimum;
  return checked(call, a,
                 o.skip_nan && is_real(a.type())
                     ? reduce_without_nan(op, a.converted(ElementType::float64), o.over)
                     : reduce(op, a, o.over));
}

using Statistic = Array (*)(const Array&, const StatisticsOptions&);

Value statistic(Call& call, Statistic f) {
  const auto a = call.reals(0);
  const auto o = options_of(call, 1, a.axes());
  return checked(call, a, f(a, o));
}

Value truth(Call& call, Reduction op) {
  auto a = call.array(0);
  if (a.size() == 0 && is_numeric(a.type())) a = a.converted(ElementType::boolean);  // the type of [] is open
  return Value::array(reduce(op, a, options_of(call, 1, a.axes()).over));
}

Value quantile_row(Call& call) {
  const auto a = call.reals(0);
  const auto o = options_of(call, 2, a.axes());
  return checked(call, a, quantile(a, call.number(1), o));
}

Value norm_row(Call& call) {
  const auto a = call.numbers(0);
  if (call.given(1)) {
    if (call.given(2) || call.given(3))
      call.fail_argument(1, "goes with a whole vector or matrix, not with an axis");
    return checked(call, a, Array::single(norm(a, call.number(1))));
  }
  if (!call.given(2) && !call.given(3) && !call.given(4)) return checked(call, a, Array::single(norm(a)));
  // Along an axis, each line is scaled by its largest element, against overflow.
  auto size = apply(Unary::abs, a).converted(ElementType::float64);
  auto o = options_of(call, 2, a.axes());
  if (o.skip_nan) size = pick(apply(Unary::is_nan, size), 0.0, size);
  const bool keep = std::exchange(o.over.keep, true);
  if (size.size() == 0) return Value::array(reduce(Reduction::sum, size, {o.over.axis, keep}));
  const auto largest = reduce(Reduction::maximum, size, o.over);
  const auto scale = pick(apply(Binary::greater, largest, 0.0), largest, 1.0);
  const auto scaled = apply(Binary::divide, size, scale);
  const auto sum = reduce(Reduction::sum, apply(Binary::multiply, scaled, scaled), o.over);
  auto out = apply(Binary::multiply, apply(Unary::sqrt, sum), scale);
  return checked(call, a,
                 keep ? out : out.with_shape(reduce(Reduction::maximum, size, {o.over.axis, false}).shape()));
}

Value running_row(Call& call, Running op) {
  const auto a = call.numbers(0);
  return Value::array(running(op, a, axis_argument(call, 1, a)));
}

Value diff_row(Call& call) {
  const auto a = call.numbers(0);
  return Value::array(differences(a, axis_argument(call, 1, a)));
}

Value arg_row(Call& call, bool maximum) {
  const auto a = call.ordered(0);
  return Value::array(arg_extreme(a, maximum, options_of(call, 1, a.axes()).over));
}

const Parameter kOver = {"over", "the axis that is reduced; none: everything", "none"};
const Parameter kKeep = {"keep", "whether the axis stays, with length 1", "false"};
const Parameter kSkip = {"skip_nan", "whether nan elements are left out", "false"};
const Parameter kNumbers = {"a", "numbers of any shape", ""};
constexpr std::string_view kReduced = "a number, or an array without the axis `over`";

}  // namespace

std::vector<Builtin> reduction_rows() {
  return {
      {"sum",
       "reductions",
       "The sum of all elements, or along an axis; of truth values, the count of true ones.",
       {kNumbers, kOver, kKeep, kSkip},
       kReduced,
       "",
       "pairwise summation in a fixed order (N. J. Higham, SIAM J. Sci. Comput. 14, 1993)",
       "m = [1, 2, 3 | 4, 5, 6]\nsum(m)\nsum(m, over: 1)",
       "sum(m) = 21\nsum(m, over: 1) : float64 3\n  5  7  9",
       [](Call& c) { return reduction(c, Reduction::sum); }},
      {"product",
       "reductions",
       "The product of all elements, or along an axis.",
       {kNumbers, kOver, kKeep, kSkip},
       kReduced,
       "",
       "",
       "product(1..5)",
       "product(1..5) = 120",
       [](Call& c) { return reduction(c, Reduction::product); }},
      {"mean",
       "reductions",
       "The arithmetic mean.",
       {kNumbers, kOver, kKeep, kSkip},
       kReduced,
       "no elements",
       "",
       "mean([2, 4, 9])",
       "mean([2, 4, 9]) = 5",
       [](Call& c) { return statistic(c, mean); }},
      {"median",
       "reductions",
       "The median: half of the elements lie on either side.",
       {kNumbers, kOver, kKeep, kSkip},
       kReduced,
       "no elements",
       "",
       "median([7, 1, 3])",
       "median([7, 1, 3]) = 3",
       [](Call& c) {
         return statistic(c, [](const Array& a, const StatisticsOptions& o) { return quantile(a, 0.5, o); });
       }},
      {"variance",
       "reductions",
       "The sample variance, with n - 1 in the denominator.",
       {kNumbers, kOver, kKeep, kSkip},
       kReduced,
       "",
       "two passes with a correction (T. F. Chan, G. H. Golub, R. J. LeVeque, Am. Stat. 37, 1983)",
       "variance([1, 2, 3, 4])",
       "variance([1, 2, 3, 4]) = 1.6667",
       [](Call& c) { return statistic(c, variance); }},
      {"std",
       "reductions",
       "The sample standard deviation, with n - 1 in the denominator.",
       {kNumbers, kOver, kKeep, kSkip},
       kReduced,
       "",
       "",
       "std([2, 4, 4, 4, 5, 5, 7, 9])",
       "std([2, 4, 4, 4, 5, 5, 7, 9]) = 2.1381",
       [](Call& c) { return statistic(c, standard_deviation); }},
      {"min",
       "reductions",
       "The smallest element; of two arrays, the smaller one element by element.",
       {kNumbers, {"b", "a second array, compared element by element", "none"}, kOver, kKeep, kSkip},
       kReduced,
       "no elements",
       "",
       "min([3, 1, 2])\nmin([3, 1, 2], 2)",
       "min([3, 1, 2]) = 1\nmin([3, 1, 2], 2) : float64 3\n  2  1  2",
       [](Call& c) { return extreme(c, false); }},
      {"max",
       "reductions",
       "The largest element; of two arrays, the larger one element by element.",
       {kNumbers, {"b", "a second array, compared element by element", "none"}, kOver, kKeep, kSkip},
       kReduced,
       "no elements",
       "",
       "max([3, 1, 2])\nmax([-3, 1], 0)",
       "max([3, 1, 2]) = 3\nmax([-3, 1], 0) : float64 2\n  0  1",
       [](Call& c) { return extreme(c, true); }},
      {"any",
       "reductions",
       "Whether at least one truth value is true.",
       {{"a", "truth values", ""}, kOver, kKeep},
       "a truth value, or an array without the axis `over`",
       "",
       "",
       "any([1, 5, 2] > 4)",
       "any([1, 5, 2] > 4) = true",
       [](Call& c) { return truth(c, Reduction::any); }},
      {"all",
       "reductions",
       "Whether all truth values are true.",
       {{"a", "truth values", ""}, kOver, kKeep},
       "a truth value, or an array without the axis `over`",
       "",
       "",
       "all([1, 5, 2] > 4)",
       "all([1, 5, 2] > 4) = false",
       [](Call& c) { return truth(c, Reduction::all); }},
      {"quantile",
       "reductions",
       "The value below which a share p of the elements lies, linear between neighbours.",
       {kNumbers, {"p", "a share from 0 to 1", ""}, kOver, kKeep, kSkip},
       kReduced,
       "p outside of 0 to 1, no elements",
       "R. J. Hyndman, Y. Fan, Am. Stat. 50, 1996, definition 7",
       "quantile(0..10, 0.25)",
       "quantile(0..10, 0.25) = 2.5",
       quantile_row},
      {"norm",
       "reductions",
       "The length of a vector; of a matrix, the root of the sum of squares.",
       {kNumbers,
        {"order", "1, 2 or inf: the operator norm of a matrix; of a vector, any order from 1", "none"},
        kOver,
        kKeep,
        kSkip},
       kReduced,
       "",
       "",
       "norm([3, 4])\nnorm([3, 4], 1)",
       "norm([3, 4]) = 5\nnorm([3, 4], 1) = 7",
       norm_row},
      {"argmin",
       "reductions",
       "The position of the smallest element, counted in row order when there is no axis; nan is passed "
       "over.",
       {kNumbers, kOver, kKeep},
       "a position, or an array of positions",
       "no elements",
       "",
       "argmin([3, 1, 2])",
       "argmin([3, 1, 2]) = 2",
       [](Call& c) { return arg_row(c, false); }},
      {"argmax",
       "reductions",
       "The position of the largest element, counted in row order when there is no axis; nan is passed over.",
       {kNumbers, kOver, kKeep},
       "a position, or an array of positions",
       "no elements",
       "",
       "argmax([3, 1, 2])",
       "argmax([3, 1, 2]) = 1",
       [](Call& c) { return arg_row(c, true); }},
      {"cumsum",
       "reductions",
       "The running sum along an axis.",
       {kNumbers, {"over", "the axis", "1"}},
       "an array of the shape of a",
       "",
       "",
       "cumsum(1..5)",
       "cumsum(1..5) : float64 5\n   1   3   6  10  15",
       [](Call& c) { return running_row(c, Running::sum); }},
      {"cumprod",
       "reductions",
       "The running product along an axis.",
       {kNumbers, {"over", "the axis", "1"}},
       "an array of the shape of a",
       "",
       "",
       "cumprod(1..5)",
       "cumprod(1..5) : float64 5\n    1    2    6   24  120",
       [](Call& c) { return running_row(c, Running::product); }},
      {"diff",
       "reductions",
       "The differences of neighbours along an axis.",
       {kNumbers, {"over", "the axis", "1"}},
       "an array, one element shorter along the axis",
       "no elements",
       "",
       "diff([1, 4, 9, 16])",
       "diff([1, 4, 9, 16]) : float64 3\n  3  5  7",
       diff_row},
  };
}

}  // namespace quill
