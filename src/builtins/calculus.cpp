// Derivatives; integrals of samples.
#include <fmt/format.h>

#include <cmath>

#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/callbacks.h"
#include "builtins/choices.h"
#include "builtins/tables.h"
#include "numerics/derivative.h"
#include "numerics/integration.h"
#include "value/runtime.h"

namespace quill {

namespace calculus_calls {
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

Value cumulative_row(Call& call) {
  const auto x = call.vector(0), y = call.reals(1);
  if (y.axes() == 0) call.fail_argument(1, "must be an array, not a single number");
  return Value::array(cumulative_integral(x, y, axis_argument(call, 2, y)));
}

// Abscissae and samples, or samples alone.
Value gradient_row(Call& call) {
  const bool has_x = call.given(1) && !call.value(1).is(Kind::none);
  const auto y = call.reals(has_x ? 1 : 0);
  if (y.axes() == 0)
    call.fail_argument(has_x ? 1 : 0, "must be an array, not a single number",
                       has_x ? "use spacing for equal steps: gradient(y, spacing: 2)" : "");
  const int axis = axis_argument(call, 2, y);
  Array x(ElementType::float64, {y.extent(axis)});
  if (has_x) {
    if (call.given(3))
      call.fail_argument(3, "requires samples without abscissae", "gradient(y, spacing: 0.5)");
    x = call.reals(0);
    if (x.axes() == 0)
      call.fail_argument(0, "must be a vector of abscissae; use spacing for equal steps",
                         "gradient(y, spacing: 0.5)");
    const auto places = x.to_vector<double>();
    for (std::size_t k = 2; k < places.size(); ++k)
      if ((places[k] > places[k - 1]) != (places[1] > places[0]))
        call.fail_argument(0, fmt::format("must be monotonic, but changes direction at element {}", k + 1),
                           "abscissae come first: gradient(x, y)");
  } else {
    const double h = call.number_or(3, 1);
    if (!(h != 0) || !std::isfinite(h)) call.fail_argument(3, "must be finite and not 0");
    for (Index k = 0; k < x.size(); ++k) x.mutable_data<double>()[k] = h * static_cast<double>(k);
  }
  return Value::array(gradient(y, x, axis));
}

Value integrate_samples_row(Call& call) {
  const auto x = call.vector(0), y = call.reals(1);
  if (y.axes() == 0) call.fail_argument(1, "must be an array, not a single number");
  const auto rule = call.one_of(2) == "simpson" ? SampleRule::simpson : SampleRule::trapezoid;
  const int axis = axis_argument(call, 3, y);
  return Value::array(integrate_samples(x, y, rule, axis));
}

constexpr std::string_view kFamily = "integration";

}  // namespace
}  // namespace calculus_calls

std::optional<std::pair<double, double>> number_pair(const Value& v) {
  if (v.is(Kind::array) && v.array().axes() == 1 && v.array().size() == 2) {
    const auto both = v.array().converted(ElementType::float64).to_vector<double>();
    return std::pair(both[0], both[1]);
  }
  if (!v.is(Kind::tuple) || v.object<TupleObject>().items.size() != 2) return std::nullopt;
  const auto& items = v.object<TupleObject>().items;
  const auto a = single_real(items[0]), b = single_real(items[1]);
  return a && b ? std::optional(std::pair(*a, *b)) : std::nullopt;
}

std::vector<Builtin> calculus_rows() {
  using namespace calculus_calls;
  return {
      {
          .name = "integrate_samples",
          .family = kFamily,
          .summary = "Integrate samples y over x.",
          .parameters = {{"x", "abscissae in increasing or decreasing order", ""},
                         {"y", "samples; the length of axis `over` must equal the length of x", ""},
                         one_of({"rule", "rule: \"trapezoid\" or \"simpson\"", "\"trapezoid\""},
                                choices::kRules),
                         {"over", "axis of y along which x varies", "1"}},
          .returns = "a number, or an array without that axis; in the unit of x times the unit of y",
          .errors = "if x and y have different lengths; if x is not monotonic",
          .source =
              "Simpson's rule for unequal spacing: K. V. Cartwright, J. Math. Sci. Math. Educ. 12, 2017",
          .example = "x = 0..2 by 0.5\nintegrate_samples(x, x^2, rule: \"simpson\")",
          .output = "integrate_samples(x, x^2, rule: \"simpson\") = 2.6667",
          .run = integrate_samples_row,
      },
      {
          .name = "cumulative_integral",
          .family = kFamily,
          .summary =
              "Compute the cumulative integral of samples by the trapezoidal rule; the first value is 0.",
          .parameters = {{"x", "abscissae", ""},
                         {"y", "samples; the length of axis `over` must equal the length of x", ""},
                         {"over", "axis", "1"}},
          .returns = "an array of the shape of y",
          .errors = "if the lengths differ",
          .example = "cumulative_integral([0, 1, 3], [2, 4, 4])",
          .output = "cumulative_integral([0, 1, 3], [2, 4, 4]) : float64 3\n   0   3  11",
          .run = cumulative_row,
      },
      {
          .name = "derivative",
          .family = kFamily,
          .summary = "Differentiate a function numerically.",
          .parameters = {called_with(1, {"f", "function of one number", ""}),
                         {"at", "point, or array of points, at which to differentiate", ""}},
          .returns = "an estimate, which can be used as a number: value, error, evaluations; for an array "
                     "only the values",
          .errors = "if the function is not finite at a point or near it",
          .source =
              "C. J. F. Ridders, Adv. Eng. Softw. 4, 1982, with an automatic choice of the initial step",
          .example = "near(derivative(sin, at: 1), cos(1))",
          .output = "near(derivative(sin, at: 1), cos(1)) = true",
          .run = derivative_row,
      },
      {
          .name = "gradient",
          .family = kFamily,
          .summary = "Differentiate samples at their points, with second-order accuracy also at the ends.",
          .parameters = {{"x",
                          "abscissae in increasing or decreasing order; without y, the samples themselves",
                          ""},
                         {"y", "samples", "none"},
                         {"over", "axis of the samples along which x varies", "1"},
                         {"spacing", "distance between samples without abscissae", "1"}},
          .returns = "an array of the shape of y",
          .errors = "if there are fewer than two samples; if abscissae are equal",
          .source = "differentiated parabola through three neighbouring samples",
          .example = "x = [0, 1, 3, 4]\ngradient(x, x^2)",
          .output = "gradient(x, x^2) : float64 4\n  0  2  6  8",
          .run = gradient_row,
      },
  };
}

}  // namespace quill
