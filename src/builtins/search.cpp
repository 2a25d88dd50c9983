// Roots and minima of functions.
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <tuple>

#include "builtins/arguments.h"
#include "builtins/callbacks.h"
#include "builtins/choices.h"
#include "builtins/tables.h"
#include "numerics/linear_algebra.h"
#include "numerics/minimize.h"
#include "numerics/roots.h"
#include "value/runtime.h"

namespace quill {

namespace search_calls {
namespace {

Value point_value(std::span<const double> x, bool is_single) {
  return is_single ? Value(x[0]) : Value::array(Array::of<double>({static_cast<Index>(x.size())}, x));
}

// The numbers that argument i gave at a point, a number or an array of `count`.
void take_numbers(const Call& call, std::size_t i, const Value& given, std::span<double> out) {
  const auto value = numeric_value(given);
  const bool fits = value.is_array_like() && is_numeric(element_type_of(value)) &&
                    element_type_of(value) != ElementType::complex128 &&
                    size_of(shape_of(value)) == static_cast<Index>(out.size());
  if (!fits)
    fail(fmt::format("{}: `{}` returned {}; it must return {} real number{}", call.row.name,
                     call.row.parameters[i].name, kind_in_words(value), out.size(),
                     out.size() == 1 ? "" : "s"));
  const auto numbers = to_array(value).converted(ElementType::float64).to_vector<double>();
  std::copy(numbers.begin(), numbers.end(), out.begin());
}

VectorFunction vector_function(const Call& call, std::size_t i, const Value& f, bool is_single) {
  return [&call, i, f, is_single, direct = DirectCall{}](std::span<const double> x,
                                                         std::span<double> out) mutable {
    if (!direct.is_off && direct.sizes.count == 0) {
      const auto size = [](auto span) { return static_cast<int>(std::min<std::size_t>(span.size(), 1000)); };
      direct.sizes = {is_single ? 0 : size(x)};
      direct.result_size = size(out);
      // A single number may also be given as a vector of one.
      direct.is_off = out.size() == 1 || (!is_single && x.empty());
    }
    if (call.runtime.call_direct(direct, f, x, out)) return;
    const Value argument[] = {point_value(x, is_single)};
    take_numbers(call, i, call.runtime.call(f, argument), out);
  };
}

namespace root {
enum Parameters : std::size_t { kF, kBetween, kStart, kJacobian, kLimit };
}

Value system_row(Call& call, const Array& start) {
  using namespace root;
  const Value& f = call.callable(kF);
  VectorFunction jacobian;
  if (call.given(kJacobian)) jacobian = vector_function(call, kJacobian, call.callable(kJacobian), false);
  const auto found = find_root(vector_function(call, kF, f, false), jacobian, start.to_vector<double>(),
                               limit_argument(call, kLimit, 100000));
  return estimate(point_value(found.at, false), point_value(found.error, false), found.evaluations,
                  {{"residual", point_value(found.residual, false)}});
}

Value find_root_row(Call& call) {
  using namespace root;
  if (call.given(kBetween) == call.given(kStart))
    call.fail_argument(kBetween, "or `start` must be given",
                       "find_root(f, (0, 1)) or find_root(f, start: 0.5)");
  if (call.given(kStart)) {
    const auto start = call.reals(kStart);
    if (start.axes() > 1) call.fail_argument(kStart, "must be a number or a vector");
    refuse_not_finite(start, "start");
    if (start.axes() == 1) return system_row(call, start);
  }
  if (call.given(kJacobian)) call.fail_argument(kJacobian, "applies to systems, whose start is a vector");
  const auto f = function_of(call, kF, limit_argument(call, kLimit, 100000));
  Root found;
  if (call.given(kStart)) {
    found = find_root_near(f, call.number(kStart));
  } else {
    const auto range = number_pair(call.value(kBetween));
    if (!range)
      call.fail_argument(kBetween,
                         fmt::format("must be two numbers, not {}", kind_in_words(call.value(kBetween))),
                         "find_root(f, (0, 1))");
    found = find_root(f, range->first, range->second);
  }
  if (found.is_jump)
    call.warn(fmt::format("the function has a jump across 0 at {}: its value nearby is {}",
                          with_digits(found.value, 5), with_digits(found.residual, 3)));
  return estimate(Value(found.value), Value(found.error), found.evaluations,
                  {{"residual", Value(found.residual)}});
}

namespace minimum {
enum Parameters : std::size_t {
  kF,
  kBetween,
  kStart,
  kBounds,
  kConstraints,
  kEqual,
  kGradient,
  kMethod,
  kRelative,
  kLimit,
  kSeconds
};
}

MinimizeOptions options_of(const Call& call, std::span<const double> start, bool is_single) {
  using namespace minimum;
  using enum MinimizeMethod;
  MinimizeOptions o;
  if (call.given(kBounds) && !call.value(kBounds).is(Kind::none))
    std::tie(o.low, o.high) = bounds_argument(call, kBounds, start.size());
  const auto constraint = [&](std::size_t i, VectorFunction& to, std::size_t& count) {
    if (!call.given(i) || call.value(i).is(Kind::none)) return;
    const Value g = call.callable(i);
    const Value argument[] = {point_value(start, is_single)};
    const auto first = numeric_value(call.runtime.call(g, argument));
    if (!first.is_array_like() || !is_numeric(element_type_of(first)))
      call.fail_argument(i, fmt::format("returned {}; it must return numbers", kind_in_words(first)),
                         "constraints: fn(p) = [p[1] + p[2] - 1, -p[1]]");
    count = static_cast<std::size_t>(size_of(shape_of(first)));
    to = vector_function(call, i, g, is_single);
  };
  constraint(kConstraints, o.below, o.below_count);
  constraint(kEqual, o.equal, o.equal_count);
  if (call.given(kGradient))
    o.gradient = vector_function(call, kGradient, call.callable(kGradient), is_single);
  const auto name = call.one_of(kMethod);
  for (const auto m : {lbfgs, slsqp, nelder_mead, bobyqa, random_search})
    if (name_of(m) == name) o.method = m;
  if (o.below_count + o.equal_count > 0 && o.method != automatic && o.method != slsqp)
    call.fail_argument(kMethod, "must be \"slsqp\" if there are constraints");
  if (o.method == bobyqa && start.size() < 2)
    call.fail_argument(kMethod, "\"bobyqa\" requires at least two coordinates");
  o.relative = call.number_or(kRelative, o.relative);
  if (!(o.relative > 0 && o.relative < 1)) call.fail_argument(kRelative, "must be between 0 and 1");
  o.limit = limit_argument(call, kLimit, o.limit);
  return o;
}

Value minimize_row(Call& call) {
  using namespace minimum;
  if (call.given(kBetween) == call.given(kStart))
    call.fail_argument(kBetween, "or `start` must be given",
                       "minimize(f, (0, 1)) or minimize(f, start: [1, 2])");
  Minimum m;
  bool is_single = true, at_limit = false, is_late = false;
  if (call.given(kBetween)) {
    const auto range = number_pair(call.value(kBetween));
    if (!range)
      call.fail_argument(kBetween,
                         fmt::format("must be two numbers, not {}", kind_in_words(call.value(kBetween))),
                         "minimize(f, (0, 1))");
    if (!(range->first < range->second) || !std::isfinite(range->second - range->first))
      call.fail_argument(kBetween,
                         fmt::format("must be two finite numbers, the lower one first, not {} and {}",
                                     shortest(range->first), shortest(range->second)),
                         fmt::format("for a starting point: minimize(f, start: [{}, {}])",
                                     shortest(range->first), shortest(range->second)));
    for (const std::size_t i : {kBounds, kConstraints, kEqual, kGradient, kMethod})
      if (call.given(i)) call.fail_argument(i, "requires a start", "minimize(f, start: 0.5)");
    m = minimize(function_of(call, kF, limit_argument(call, kLimit, 100000)), range->first, range->second);
  } else {
    const auto start = call.reals(kStart);
    if (start.axes() > 1) call.fail_argument(kStart, "must be a number or a vector");
    refuse_not_finite(start, "start");
    is_single = start.axes() == 0;
    const auto from = start.to_vector<double>();
    const Value f = call.callable(kF);
    auto options = options_of(call, from, is_single);
    const double most_seconds = call.number_or(kSeconds, 60);
    if (!(most_seconds > 0)) call.fail_argument(kSeconds, "must be a positive number of seconds");
    const auto started = std::chrono::steady_clock::now();
    options.is_late = [&is_late, started, most_seconds] {
      const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - started;
      return is_late = is_late || passed.count() > most_seconds;
    };
    DirectCall direct{.sizes = {is_single ? 0 : static_cast<int>(std::min<std::size_t>(from.size(), 1000))}};
    m = minimize(
        [&](std::span<const double> p) {
          double y = 0;
          if (call.runtime.call_direct(direct, f, p, {&y, 1})) return y;
          const Value argument[] = {point_value(p, is_single)};
          return number_from(call, call.runtime.call(f, argument));
        },
        from, options);
    at_limit = m.evaluations >= options.limit;
  }
  if (is_late) {
    m.converged = false;
    call.warn(fmt::format("the search for a minimum was stopped after {} s and {} evaluations: the result is "
                          "the best point "
                          "so far, and depends on the speed of the machine",
                          shortest(call.number_or(kSeconds, 60)), grouped(m.evaluations)),
              fmt::format("limit: {} stops at the same point in every run; seconds: inf searches on",
                          std::max<Index>(1, m.evaluations / 2)));
  } else if (!m.converged && at_limit)
    call.warn(
        fmt::format("the search for a minimum did not converge in {} evaluations", grouped(m.evaluations)),
        "use a larger limit, a start nearer to the minimum, or scaled coordinates");
  else if (!m.converged)
    call.warn("the search for a minimum did not converge",
              "use a start nearer to the minimum, or scaled coordinates");
  return Value::record({{"at", point_value(m.at, is_single)},
                        {"value", Value(m.value)},
                        {"evaluations", Value(static_cast<double>(m.evaluations))},
                        {"method", Value::text(std::string(m.method))},
                        {"converged", Value::boolean(m.converged)}});
}

}  // namespace
}  // namespace search_calls

std::vector<Builtin> search_rows() {
  using namespace search_calls;
  return {
      {
          .name = "find_root",
          .family = "integration",
          .summary = "Find a root of a function or of a system of functions.",
          .parameters =
              {called_with(
                   1, {"f", "function of one number; or of a vector, returning a vector of the same length",
                       ""}),
               {"between", "bracket (a, b) where f has different signs; f may be infinite at the ends",
                "none"},
               {"start", "starting point without a bracket: a number, or a vector for a system", "none"},
               advanced({"jacobian", "fn(x): Jacobian matrix of a system", "finite differences"}),
               advanced({"limit", "maximum number of evaluations of f; more are an error", "100000"})},
          .returns = "an estimate, which can be used as a number or vector: value, error, evaluations, "
                     "residual (value of the function there)",
          .errors = "if f has the same sign at both ends; if there is a pole; if no sign change is found "
                    "near the start; if a system has no root that can be found; a jump across 0 is a warning",
          .source = "TOMS 748 (G. E. Alefeld, F. A. Potra, Y. Shi, 1995; Boost.Math); systems: M. J. D. "
                    "Powell, 1970 "
                    "(MINPACK's hybrid method; GNU Scientific Library)",
          .example =
              "near(find_root(fn(x) = x^2 - 2, (0, 2)), sqrt(2))\nnear(find_root(cos, start: 1), pi / 2)\n"
              "fn pair(p) = [p[1]^2 + p[2]^2 - 8, p[1] - p[2]]\nnear(find_root(pair, start: [1, 3]), [2, 2])",
          .output = "near(find_root(fn(x) = x^2 - 2, (0, 2)), sqrt(2)) = true\nnear(find_root(cos, start: "
                    "1), pi / 2) = true\n"
                    "near(find_root(pair, start: [1, 3]), [2, 2]) = true",
          .run = find_root_row,
      },
      {
          .name = "minimize",
          .family = "integration",
          .summary = "Minimize a function between two numbers, or from a starting point.",
          .parameters =
              {called_with(1, {"f", "function of one number, or of a vector if the start is one", ""}),
               {"between", "interval (a, b)", "none"},
               {"start", "starting point, a number or a vector", "none"},
               {"bounds", "a pair (low, high) of numbers or vectors that limit the point", "none"},
               {"constraints", "fn(p): inequality constraints, numbers that must be 0 or below", "none"},
               {"equal", "fn(p): equality constraints, numbers that must be 0", "none"},
               advanced({"gradient", "fn(p): gradient of f", "finite differences"}),
               one_of({"method",
                       "\"lbfgs\" (gradients), \"slsqp\" (gradients, constraints), \"nelder_mead\" "
                       "and \"bobyqa\" (no derivatives), \"random_search\" (global search within "
                       "finite bounds, reproducible)",
                       "\"automatic\": from the arguments"},
                      choices::kMinimizers),
               advanced({"relative", "relative accuracy of the coordinates", "1e-10"}),
               advanced({"limit", "maximum number of evaluations", "100000"}),
               advanced(
                   {"seconds", "time after which the best point so far is returned, with a warning", "60"})},
          .returns = "a record: at, value, evaluations, method, converged (whether no lower value was found "
                     "around the point)",
          .errors = "if the function is unbounded below or not finite; if no point satisfies the "
                    "constraints; a search that does not converge is a warning",
          .source = "R. P. Brent, 1973 (Boost.Math); J. Nocedal, 1980; D. Kraft, 1988; J. A. Nelder, R. "
                    "Mead, 1965; M. "
                    "J. D. Powell, 2009; P. Kaelo, M. M. Ali, 2006 (NLopt)",
          .example =
              "m = minimize(fn(p) = (p[1] - 1)^2 + 5 * (p[2] + 2)^2, start: [0, 0])\nnear(m.at, [1, "
              "-2], relative: 1e-5)\n"
              "c = minimize(fn(p) = p[1]^2 + p[2]^2, start: [2, 0], constraints: fn(p) = 1 - p[1] - p[2])\n"
              "near(c.at, [0.5, 0.5], relative: 1e-5)",
          .output =
              "near(m.at, [1, -2], relative: 1e-5) = true\nnear(c.at, [0.5, 0.5], relative: 1e-5) = true",
          .run = minimize_row,
      },
  };
}

}  // namespace quill
