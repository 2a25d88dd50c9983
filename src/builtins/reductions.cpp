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
Value checked(const Call& call, const Array& a, Array result, bool skip_nan = false) {
  const double without =
      result.type() == ElementType::float64 ? *reduce(Reduction::count_nan, result).data<double>() : 0;
  if (skip_nan && without > 0) {
    const auto rest = call.row.name == "std" || call.row.name == "variance"
                          ? "fewer than two numbers are left"
                          : "only nan is there";
    call.warn(result.size() == 1 ? fmt::format("{} has no value: {}", call.row.name, rest)
                                 : fmt::format("{} of {} results of {} have no value: {}", shortest(without),
                                               result.size(), call.row.name, rest));
  } else if (without > 0 && a.type() == ElementType::float64) {
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
  if (o.skip_nan && a.type() == ElementType::float64)
    return checked(call, a, reduce_without_nan(op, a, o.over), true);
  return checked(call, a, reduce(op, a, o.over));
}

// min and max: of two arrays elementwise, of one over its elements.
Value extreme(Call& call, bool maximum) {
  if (call.value(0).is_number() && call.value(1).is_number() && !call.given(2) && !call.given(4))
    return {
        apply(maximum ? Binary::maximum : Binary::minimum, call.value(0).number(), call.value(1).number())};
  const auto a = call.ordered(0);
  if (call.given(1)) {
    if (call.given(2))
      call.fail_argument(2, "goes with one array only", fmt::format("{}(a, over: 1)", call.row.name));
    Array hold_a, hold_b;
    const auto a_side = call.operand(0, hold_a), b_side = call.operand(1, hold_b);
    const auto both = apply(maximum ? Binary::maximum : Binary::minimum, a_side, b_side);
    if (!call.truth_or(4, false) || !is_real(both.type())) return Value::array(both);
    // Where one side is nan the other one counts.
    return Value::array(
        pick(apply(Unary::is_nan, a_side), b_side, pick(apply(Unary::is_nan, b_side), a_side, both)));
  }
  const auto o = options_of(call, 2, a.axes());
  const auto op = maximum ? Reduction::maximum : Reduction::minimum;
  return checked(call, a,
                 o.skip_nan && is_real(a.type())
                     ? reduce_without_nan(op, a.converted(ElementType::float64), o.over)
                     : reduce(op, a, o.over),
                 o.skip_nan);
}

using Statistic = Array (*)(const Array&, const StatisticsOptions&);

Value statistic(Call& call, Statistic f) {
  const auto a = call.reals(0);
  const auto o = options_of(call, 1, a.axes());
  return checked(call, a, f(a, o), o.skip_nan);
}

Value truth(Call& call, Reduction op) {
  auto a = call.array(0);
  if (a.size() == 0 && is_numeric(a.type())) a = a.converted(ElementType::boolean);  // the type of [] is open
  return Value::array(reduce(op, a, options_of(call, 1, a.axes()).over));
}

Value quantile_row(Call& call) {
  const auto a = call.reals(0);
  const auto o = options_of(call, 2, a.axes());
  return checked(call, a, quantile(a, call.number(1), o), o.skip_nan);
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
      {
          .name = "sum",
          .family = "reductions",
          .summary = "The sum of all elements, or along an axis; of truth values, the count of true ones.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .source = "pairwise summation in a fixed order (N. J. Higham, SIAM J. Sci. Comput. 14, 1993)",
          .example = "m = [1, 2, 3 | 4, 5, 6]\nsum(m)\nsum(m, over: 1)",
          .output = "sum(m) = 21\nsum(m, over: 1) : float64 3\n  5  7  9",
          .run = [](Call& c) { return reduction(c, Reduction::sum); },
      },
      {
          .name = "product",
          .family = "reductions",
          .summary = "The product of all elements, or along an axis.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .example = "product(1..5)",
          .output = "product(1..5) = 120",
          .run = [](Call& c) { return reduction(c, Reduction::product); },
      },
      {
          .name = "mean",
          .family = "reductions",
          .summary = "The arithmetic mean.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "mean([2, 4, 9])",
          .output = "mean([2, 4, 9]) = 5",
          .run = [](Call& c) { return statistic(c, mean); },
      },
      {
          .name = "median",
          .family = "reductions",
          .summary = "The median: half of the elements lie on either side.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "median([7, 1, 3])",
          .output = "median([7, 1, 3]) = 3",
          .run =
              [](Call& c) {
                return statistic(
                    c, [](const Array& a, const StatisticsOptions& o) { return quantile(a, 0.5, o); });
              },
      },
      {
          .name = "variance",
          .family = "reductions",
          .summary = "The sample variance, with n - 1 in the denominator.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .source =
              "two passes with a correction (T. F. Chan, G. H. Golub, R. J. LeVeque, Am. Stat. 37, 1983)",
          .example = "variance([1, 2, 3, 4])",
          .output = "variance([1, 2, 3, 4]) = 1.6667",
          .run = [](Call& c) { return statistic(c, variance); },
      },
      {
          .name = "std",
          .family = "reductions",
          .summary = "The sample standard deviation, with n - 1 in the denominator.",
          .parameters = {kNumbers, kOver, kKeep, kSkip},
          .returns = kReduced,
          .example = "std([2, 4, 4, 4, 5, 5, 7, 9])",
          .output = "std([2, 4, 4, 4, 5, 5, 7, 9]) = 2.1381",
          .run = [](Call& c) { return statistic(c, standard_deviation); },
      },
      {
          .name = "min",
          .family = "reductions",
          .summary = "The smallest element; of two arrays, the smaller one element by element.",
          .parameters =
              {kNumbers, {"b", "a second array, compared element by element", "none"}, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "min([3, 1, 2])\nmin([3, 1, 2], 2)",
          .output = "min([3, 1, 2]) = 1\nmin([3, 1, 2], 2) : float64 3\n  2  1  2",
          .run = [](Call& c) { return extreme(c, false); },
      },
      {
          .name = "max",
          .family = "reductions",
          .summary = "The largest element; of two arrays, the larger one element by element.",
          .parameters =
              {kNumbers, {"b", "a second array, compared element by element", "none"}, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "no elements",
          .example = "max([3, 1, 2])\nmax([-3, 1], 0)",
          .output = "max([3, 1, 2]) = 3\nmax([-3, 1], 0) : float64 2\n  0  1",
          .run = [](Call& c) { return extreme(c, true); },
      },
      {
          .name = "any",
          .family = "reductions",
          .summary = "Whether at least one truth value is true.",
          .parameters = {{"a", "truth values", ""}, kOver, kKeep},
          .returns = "a truth value, or an array without the axis `over`",
          .example = "any([1, 5, 2] > 4)",
          .output = "any([1, 5, 2] > 4) = true",
          .run = [](Call& c) { return truth(c, Reduction::any); },
      },
      {
          .name = "all",
          .family = "reductions",
          .summary = "Whether all truth values are true.",
          .parameters = {{"a", "truth values", ""}, kOver, kKeep},
          .returns = "a truth value, or an array without the axis `over`",
          .example = "all([1, 5, 2] > 4)",
          .output = "all([1, 5, 2] > 4) = false",
          .run = [](Call& c) { return truth(c, Reduction::all); },
      },
      {
          .name = "quantile",
          .family = "reductions",
          .summary = "The value below which a share p of the elements lies, linear between neighbours.",
          .parameters = {kNumbers, {"p", "a share from 0 to 1", ""}, kOver, kKeep, kSkip},
          .returns = kReduced,
          .errors = "p outside of 0 to 1, no elements",
          .source = "R. J. Hyndman, Y. Fan, Am. Stat. 50, 1996, definition 7",
          .example = "quantile(0..10, 0.25)",
          .output = "quantile(0..10, 0.25) = 2.5",
          .run = quantile_row,
      },
      {
          .name = "norm",
          .family = "reductions",
          .summary = "The length of a vector; of a matrix, the root of the sum of squares.",
          .parameters = {kNumbers,
                         {"order",
                          "1, 2 or inf: the operator norm of a matrix; of a vector, any order from 1",
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
          .name = "argmin",
          .family = "reductions",
          .summary = "The position of the smallest element, counted in row order when there is no axis; nan "
                     "is passed "
                     "over.",
          .parameters = {kNumbers, kOver, kKeep},
          .returns = "a position, or an array of positions",
          .errors = "no elements",
          .example = "argmin([3, 1, 2])",
          .output = "argmin([3, 1, 2]) = 2",
          .run = [](Call& c) { return arg_row(c, false); },
      },
      {
          .name = "argmax",
          .family = "reductions",
          .summary = "The position of the largest element, counted in row order when there is no axis; nan "
                     "is passed over.",
          .parameters = {kNumbers, kOver, kKeep},
          .returns = "a position, or an array of positions",
          .errors = "no elements",
          .example = "argmax([3, 1, 2])",
          .output = "argmax([3, 1, 2]) = 1",
          .run = [](Call& c) { return arg_row(c, true); },
      },
      {
          .name = "cumsum",
          .family = "reductions",
          .summary = "The running sum along an axis.",
          .parameters = {kNumbers, {"over", "the axis", "1"}},
          .returns = "an array of the shape of a",
          .example = "cumsum(1..5)",
          .output = "cumsum(1..5) : float64 5\n   1   3   6  10  15",
          .run = [](Call& c) { return running_row(c, Running::sum); },
      },
      {
          .name = "cumprod",
          .family = "reductions",
          .summary = "The running product along an axis.",
          .parameters = {kNumbers, {"over", "the axis", "1"}},
          .returns = "an array of the shape of a",
          .example = "cumprod(1..5)",
          .output = "cumprod(1..5) : float64 5\n    1    2    6   24  120",
          .run = [](Call& c) { return running_row(c, Running::product); },
      },
      {
          .name = "diff",
          .family = "reductions",
          .summary = "The differences of neighbours along an axis.",
          .parameters = {kNumbers, {"over", "the axis", "1"}},
          .returns = "an array, one element shorter along the axis",
          .errors = "no elements",
          .example = "diff([1, 4, 9, 16])",
          .output = "diff([1, 4, 9, 16]) : float64 3\n  3  5  7",
          .run = diff_row,
      },
  };
}

}  // namespace quill
