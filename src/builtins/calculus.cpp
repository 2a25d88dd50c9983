// Integrals, derivatives, roots and minima.
#include <fmt/format.h>

#include <cmath>

#include "array/rearrange.h"
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/tables.h"
#include "numerics/calculus.h"
#include "numerics/integration.h"
#include "value/print.h"
#include "value/runtime.h"

namespace quill {

namespace {

// A number with an estimate of its error: acts as the number in arithmetic, and has parts.
class EstimateValue : public LibraryObject {
 public:
  explicit EstimateValue(const Estimate& e) : e_(e) {}
  std::string type_name() const override { return "estimate"; }
  std::string describe() const override {
    return fmt::format("{} ± {} ({} evaluations)", with_digits(e_.value, 5), with_digits(e_.error, 2),
                       e_.evaluations);
  }
  std::optional<Value> numeric() const override { return Value(e_.value); }
  std::optional<Value> part(const std::string& name) const override {
    if (name == "value") return Value(e_.value);
    if (name == "error") return Value(e_.error);
    if (name == "evaluations") return Value(static_cast<double>(e_.evaluations));
    return std::nullopt;
  }
  std::vector<std::string> part_names() const override { return {"value", "error", "evaluations"}; }

 private:
  Estimate e_;
};

Value estimate(const Estimate& e) { return {Kind::library, new EstimateValue(e)}; }

double number_from(const Call& call, const Value& v) {
  if (const auto x = single_real(v)) return *x;
  fail(fmt::format("{}: the function gave {}, where a single number is wanted", call.row.name,
                   kind_in_words(v)));
}

// A function of the language as one of a single number.
RealFunction function_of(const Call& call, std::size_t i) {
  const Value f = call.callable(i);
  return [&call, f](double x) {
    const Value argument[] = {Value(x)};
    return number_from(call, call.runtime.call(f, argument));
  };
}

// Over the first range, of the integrals over the others.
Estimate nested_integral(const Call& call, const Value& f, std::span<const std::pair<double, double>> ranges,
                         std::vector<Value>& point, double tolerance) {
  double inner_error = 0;
  Index evaluations = 0;
  const auto at = point.size();
  point.emplace_back(0.0);
  const RealFunction g = [&](double x) {
    point[at] = Value(x);
    if (ranges.size() == 1) {
      ++evaluations;
      return number_from(call, call.runtime.call(f, point));
    }
    const auto inner = nested_integral(call, f, ranges.subspan(1), point, tolerance);
    inner_error = std::max(inner_error, inner.error);
    evaluations += inner.evaluations;
    return inner.value;
  };
  auto out = integrate(g, ranges[0].first, ranges[0].second, tolerance);
  point.resize(at);
  const double width = ranges[0].second - ranges[0].first;
  if (std::isfinite(width)) out.error += inner_error * std::fabs(width);
  out.evaluations = evaluations;
  return out;
}

Value integrate_row(Call& call) {
  const double tolerance = call.number_or(4, 1e-10);
  std::vector<std::pair<double, double>> ranges;
  if (const auto first = number_pair(call.value(1))) {
    ranges.push_back(*first);
    for (const std::size_t i : {std::size_t{2}, std::size_t{3}}) {
      if (!call.given(i)) continue;
      const auto range = number_pair(call.value(i));
      if (!range)
        call.fail_argument(i, fmt::format("is a range of two numbers, not {}", kind_in_words(call.value(i))),
                           "integrate(f, (0, 1), (0, 2))");
      ranges.push_back(*range);
    }
  } else {
    if (!call.given(2)) call.fail_argument(1, "has no upper end beside it", "integrate(f, 0, 1)");
    if (call.given(3)) call.fail_argument(3, "goes with ranges: integrate(f, (0, 1), (0, 2), (0, 3))");
    ranges.emplace_back(call.number(1), call.number(2));
  }
  Estimate e;
  if (ranges.size() == 1) {
    e = integrate(function_of(call, 0), ranges[0].first, ranges[0].second, tolerance);
  } else {
    std::vector<Value> point;
    e = nested_integral(call, call.callable(0), ranges, point, tolerance);
  }
  constexpr double room = 100;  // error estimates are cautious
  constexpr double hardly_any = 1e-3;
  if (!(e.error < hardly_any * std::fabs(e.value)) && e.error > room * tolerance)
    call.warn(fmt::format("the integral did not converge: {} ± {} may be no value at all",
                          with_digits(e.value, 3), with_digits(e.error, 2)),
              "is it finite? integrate(f, 0.01, b), with ever nearer ends, shows where it grows");
  else if (e.error > room * tolerance * std::max(std::fabs(e.value), 1e-10))
    call.warn(fmt::format("the integral is known to about {} only", with_digits(e.error, 2)),
              "a range cut where the function jumps or peaks helps");
  return estimate(e);
}

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
  const Parameter f = {"f", "a function of a single number, or of as many as there are ranges", ""};
  return {
      {
          .name = "integrate",
          .family = kFamily,
          .summary = "The integral of a function; its ends may be infinite.",
          .parameters = {f,
                         {"a", "the lower end, or a range (a, b)", ""},
                         {"b", "the upper end, or the range of a second variable", "none"},
                         {"c", "the range of a third variable", "none"},
                         {"tolerance", "the relative error wanted", "1e-10"}},
          .returns = "an estimate, which acts as a number: value, error, evaluations; in the unit of f times "
                     "that of x",
          .errors = "a function that is nan in the range; a tolerance that is missed is a warning",
          .source = "adaptive Gauss–Kronrod rule (QUADPACK, 1983), double exponential rules (H. Takahasi, M. "
                    "Mori, 1974); "
                    "Boost.Math",
          .example =
              "area = integrate(fn(x) = exp(-x^2), -inf, inf)\nnear(area^2, pi)\nnear(integrate(fn(x) = 1 / "
              "sqrt(x), 0, 1), 2)",
          .output = "near(area^2, pi) = true\nnear(integrate(fn(x) = 1 / sqrt(x), 0, 1), 2) = true",
          .run = integrate_row,
      },
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
          .errors = "a function that is nan nearby",
          .source = "central differences of eighth order (Boost.Math)",
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
