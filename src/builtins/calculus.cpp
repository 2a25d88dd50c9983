// Derivatives, roots and minima; integrals of samples.
#include <fmt/format.h>

#include <cmath>

#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/callbacks.h"
#include "builtins/tables.h"
#include "numerics/calculus.h"
#include "numerics/integration.h"
#include "value/print.h"
#include "value/runtime.h"

namespace quill {

namespace {

Value derivative_row(Call& call) {
  const auto f = function_of(call, 0);
  const auto at = call.reals(1);
  if (at.axes() == 0) return estimate(derivative(f, *at.data<double>()));
  Array out(ElementType::float64, at.shape());
  double* to = out.mutable_data<double>();
  for (const double x : at.to_vector<double>()) *to++ = derivative(f, x).value;
  return Value::array(std::move(out));
}

Value find_root_row(Call& call) {
  const auto f = function_of(call, 0);
  if (call.given(1) == call.given(2))
    call.fail_argument(1, "or `start` says where to look",
                       "find_root(f, (0, 1)) or find_root(f, start: 0.5)");
  if (call.given(2)) return estimate(find_root_near(f, call.number(2)));
  const auto range = number_pair(call.value(1));
  if (!range)
    call.fail_argument(1, fmt::format("is two numbers, not {}", kind_in_words(call.value(1))),
                       "find_root(f, (0, 1))");
  return estimate(find_root(f, range->first, range->second));
}

Value minimize_row(Call& call) {
  if (call.given(1) == call.given(2))
    call.fail_argument(1, "or `start` says where to look",
                       "minimize(f, (0, 1)) or minimize(f, start: [1, 2])");
  Minimum m;
  bool single = true;
  if (call.given(1)) {
    const auto range = number_pair(call.value(1));
    if (!range)
      call.fail_argument(1, fmt::format("is two numbers, not {}", kind_in_words(call.value(1))),
                         "minimize(f, (0, 1))");
    m = minimize(function_of(call, 0), range->first, range->second);
  } else {
    const auto start = call.reals(2);
    if (start.axes() > 1) call.fail_argument(2, "is a number or a vector");
    single = start.axes() == 0;
    const Value f = call.callable(0);
    m = minimize(
        [&](std::span<const double> p) {
          const Value argument[] = {
              single ? Value(p[0]) : Value::array(Array::of<double>({static_cast<Index>(p.size())}, p))};
          return number_from(call, call.runtime.call(f, argument));
        },
        start.to_vector<double>());
  }
  if (!m.converged)
    call.warn("the search for a minimum has not come to rest",
              "a start nearer to the minimum, or scaled coordinates, help");
  return Value::record({{"at", single ? Value(m.at[0]) : Value::array(Array::vector(m.at))},
                        {"value", Value(m.value)},
                        {"evaluations", Value(static_cast<double>(m.evaluations))}});
}

Value cumulative_row(Call& call) {
  const auto x = call.vector(0), y = call.reals(1);
  if (y.axes() == 0) call.fail_argument(1, "is an array with axes, not a single number");
  return Value::array(cumulative_integral(x, y, call.given(2) ? checked_axis(call.number(2), y.axes()) : 0));
}

Value gradient_row(Call& call) {
  const auto y = call.reals(0);
  const int axis = axis_argument(call, 2, y);
  Array x = call.given(1) ? call.reals(1) : Array::single(1);
  if (x.axes() == 0) {
    // A single number is the spacing.
    const double h = *x.data<double>();
    x = Array(ElementType::float64, {y.extent(axis)});
    for (Index k = 0; k < x.size(); ++k) x.mutable_data<double>()[k] = h * static_cast<double>(k);
  }
  return Value::array(gradient(y, x, axis));
}

Value integrate_samples_row(Call& call) {
  const auto x = call.vector(0), y = call.reals(1);
  if (y.axes() == 0) call.fail_argument(1, "is an array with axes, not a single number");
  const auto rule = call.one_of(2, {"trapezoid", "simpson"}, "trapezoid") == "simpson"
                        ? SampleRule::simpson
                        : SampleRule::trapezoid;
  const int axis = call.given(3) ? checked_axis(call.number(3), y.axes()) : 0;
  return Value::array(integrate_samples(x, y, rule, axis));
}

constexpr std::string_view kFamily = "integration";

}  // namespace

std::optional<std::pair<double, double>> number_pair(const Value& v) {
  std::vector<Value> items;
  if (v.is(Kind::tuple))
    items = v.object<TupleObject>().items;
  else if (v.is(Kind::array) && v.array().axes() == 1 && v.array().size() == 2)
    for (const double x : v.array().converted(ElementType::float64).to_vector<double>())
      items.emplace_back(x);
  if (items.size() != 2) return std::nullopt;
  const auto a = single_real(items[0]), b = single_real(items[1]);
  return a && b ? std::optional(std::pair(*a, *b)) : std::nullopt;
}

std::vector<Builtin> calculus_rows() {
  return {
      {
          .name = "integrate_samples",
          .family = kFamily,
          .summary = "The integral of samples y over x.",
          .parameters = {{"x", "abscissae that run one way", ""},
                         {"y", "samples; their axis `over` has the length of x", ""},
                         {"rule", "\"trapezoid\" or \"simpson\"", "\"trapezoid\""},
                         {"over", "the axis of y that x runs along", "1"}},
          .returns = "a number, or an array without the axis; in the unit of x times that of y",
          .errors = "lengths that differ, abscissae that turn back",
          .source =
              "Simpson's rule for unequal spacing: K. V. Cartwright, J. Math. Sci. Math. Educ. 12, 2017",
          .example = "x = 0..2 by 0.5\nintegrate_samples(x, x^2, rule: \"simpson\")",
          .output = "integrate_samples(x, x^2, rule: \"simpson\") = 2.6667",
          .run = integrate_samples_row,
      },
      {
          .name = "cumulative_integral",
          .family = kFamily,
          .summary = "The running integral of samples, from 0 on, by the trapezoid rule.",
          .parameters = {{"x", "abscissae", ""},
                         {"y", "samples; their axis `over` has the length of x", ""},
                         {"over", "the axis", "1"}},
          .returns = "an array of the shape of y",
          .errors = "lengths that differ",
          .example = "cumulative_integral([0, 1, 3], [2, 4, 4])",
          .output = "cumulative_integral([0, 1, 3], [2, 4, 4]) : float64 3\n   0   3  11",
          .run = cumulative_row,
      },
      {
          .name = "derivative",
          .family = kFamily,
          .summary = "The derivative of a function.",
          .parameters = {{"f", "a function of a single number", ""},
                         {"at", "where: a number, or an array", ""}},
          .returns =
              "an estimate, which acts as a number: value, error, evaluations; for an array the values",
          .errors = "a function without a value there, or around",
          .source = "C. J. F. Ridders, Adv. Eng. Softw. 4, 1982, with a search of the scale",
          .example = "near(derivative(sin, at: 1), cos(1))",
          .output = "near(derivative(sin, at: 1), cos(1)) = true",
          .run = derivative_row,
      },
      {
          .name = "gradient",
          .family = kFamily,
          .summary = "The derivative of samples at their points, of second order at the ends too.",
          .parameters = {{"y", "samples", ""},
                         {"x", "abscissae, or the spacing", "1"},
                         {"over", "the axis of y that x runs along", "1"}},
          .returns = "an array of the shape of y",
          .errors = "fewer than two samples, equal abscissae",
          .source = "parabolas through three neighbours",
          .example = "x = [0, 1, 3, 4]\ngradient(x^2, x)",
          .output = "gradient(x^2, x) : float64 4\n  0  2  6  8",
          .run = gradient_row,
      },
      {
          .name = "find_root",
          .family = kFamily,
          .summary = "Where a function is zero.",
          .parameters = {{"f", "a function of a single number", ""},
                         {"between", "two numbers (a, b) where f has different signs", "none"},
                         {"start", "a number to look around, when there is no bracket", "none"}},
          .returns = "an estimate, which acts as a number: value, error (the width of the last bracket), "
                     "evaluations",
          .errors = "equal signs at both ends, no change of sign around the start",
          .source = "TOMS 748 (G. E. Alefeld, F. A. Potra, Y. Shi, 1995); Boost.Math",
          .example =
              "near(find_root(fn(x) = x^2 - 2, (0, 2)), sqrt(2))\nnear(find_root(cos, start: 1), pi / 2)",
          .output = "near(find_root(fn(x) = x^2 - 2, (0, 2)), sqrt(2)) = true\nnear(find_root(cos, start: "
                    "1), pi / 2) = "
                    "true",
          .run = find_root_row,
      },
      {
          .name = "minimize",
          .family = kFamily,
          .summary = "Where a function is smallest: between two numbers, or near a point.",
          .parameters = {{"f", "a function of a single number, or of a vector when the start is one", ""},
                         {"between", "two numbers (a, b)", "none"},
                         {"start", "a number or a vector", "none"}},
          .returns = "a record: at, value, evaluations",
          .errors = "a function without finite values; a search without rest is a warning",
          .source = "R. P. Brent, 1973 (Boost.Math); J. A. Nelder, R. Mead, Comput. J. 7, 1965",
          .example = "m = minimize(fn(p) = (p[1] - 1)^2 + 5 * (p[2] + 2)^2, start: [0, 0])\nnear(m.at, [1, "
                     "-2], relative: "
                     "1e-5)",
          .output = "near(m.at, [1, -2], relative: 1e-5) = true",
          .run = minimize_row,
      },
  };
}

}  // namespace quill
