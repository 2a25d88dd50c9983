// Differential equations.
#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "builtins/arguments.h"
#include "builtins/tables.h"
#include "numerics/evolve.h"
#include "value/runtime.h"

namespace quill {

namespace {

// A state as a value of the language; the array is used again as long as nobody else holds it.
class StateArgument {
 public:
  explicit StateArgument(const Shape& shape) : shape_(shape) {}
  const Value& of(std::span<const double> y) {
    if (shape_.empty()) {
      value_ = Value(y[0]);
      return value_;
    }
    if (!value_.is(Kind::array) || value_.object<ArrayObject>().use_count() > 1 ||
        value_.array().shares_storage())
      value_ = Value(Kind::array, new ArrayObject(Array(ElementType::float64, shape_)));
    std::copy(y.begin(), y.end(), value_.array_to_change().mutable_data<double>());
    return value_;
  }

 private:
  Shape shape_;
  Value value_;
};

// The numbers that a function gave, where as many are wanted.
void take_numbers(const Call& call, std::size_t i, const Value& given, const Shape& wanted,
                  std::span<double> out) {
  const auto value = numeric_value(given);
  if (value.is_number() && wanted.empty()) {
    out[0] = value.number();
    return;
  }
  const auto fits = [&] {
    return value.is_array_like() && is_numeric(element_type_of(value)) &&
           element_type_of(value) != ElementType::complex128 && shape_of(value) == wanted;
  };
  if (!fits())
    fail(fmt::format(
        "evolve: `{}` gave {}, where {} is wanted", call.row.parameters[i].name, kind_in_words(value),
        wanted.empty() ? "a single number" : fmt::format("an array of shape {}", text_of(wanted))));
  if (value.is(Kind::array) && value.array().type() == ElementType::float64 && value.array().is_row_major()) {
    const auto* from = value.array().data<double>();
    std::copy(from, from + out.size(), out.begin());
    return;
  }
  const auto numbers = to_array(value).converted(ElementType::float64).to_vector<double>();
  std::copy(numbers.begin(), numbers.end(), out.begin());
}

enum Parameters : std::size_t { kF, kY0, kOver, kMethod, kRelative, kAbsolute, kStep, kUntil, kJacobian };

EvolveOptions evolve_options(const Call& call) {
  EvolveOptions o;
  using enum StepMethod;
  const auto name = call.one_of(
      kMethod, {"dormand_prince", "rk4", "bulirsch_stoer", "rosenbrock", "backward_euler"}, "dormand_prince");
  for (const auto method : {rk4, bulirsch_stoer, rosenbrock, backward_euler})
    if (name_of(method) == name) o.method = method;
  const auto positive = [&](std::size_t i, double fallback) {
    const double x = call.number_or(i, fallback);
    if (!(x > 0) || std::isinf(x)) call.fail_argument(i, "is a number above 0");
    return x;
  };
  o.relative = positive(kRelative, o.relative);
  o.absolute = positive(kAbsolute, o.absolute);
  if (call.given(kStep)) o.step = positive(kStep, 0);
  if (call.given(kJacobian) && o.method != rosenbrock && o.method != backward_euler)
    call.fail_argument(kJacobian, "goes with the methods \"rosenbrock\" and \"backward_euler\"");
  return o;
}

Value evolve_row(Call& call) {
  const Value f = call.callable(kF);
  const auto y0 = call.reals(kY0);
  const auto shape = y0.shape();
  auto options = evolve_options(call);
  std::vector<double> times;
  const auto ends = call.value(kOver).is(Kind::tuple) ? number_pair(call.value(kOver)) : std::nullopt;
  if (ends)
    times = {ends->first, ends->second};
  else if (call.value(kOver).is(Kind::tuple))
    call.fail_argument(kOver, "is a range or vector of times, or two numbers (start, end)",
                       "over: 0..10 by 0.1");
  else
    times = call.vector(kOver).to_vector<double>();

  StateArgument state(shape);
  const Slopes slopes = [&](double t, std::span<const double> y, std::span<double> out) {
    const Value arguments[] = {Value(t), state.of(y)};
    take_numbers(call, kF, call.runtime.call(f, arguments), shape, out);
  };
  if (call.given(kUntil))
    options.until = [&, stop = call.callable(kUntil)](double t, std::span<const double> y) {
      const Value arguments[] = {Value(t), state.of(y)};
      const auto result = call.runtime.call(stop, arguments);
      // A condition is an infinite number for the search.
      constexpr double infinite = std::numeric_limits<double>::infinity();
      if (result.is(Kind::truth)) return result.truth() ? infinite : -infinite;
      double g = 0;
      take_numbers(call, kUntil, result, {}, std::span(&g, 1));
      return g;
    };
  if (call.given(kJacobian))
    options.jacobian = [&, matrix = call.callable(kJacobian)](double t, std::span<const double> y,
                                                              std::span<double> out) {
      const Value arguments[] = {Value(t), state.of(y)};
      const auto n = static_cast<Index>(y.size());
      take_numbers(call, kJacobian, call.runtime.call(matrix, arguments),
                   shape.empty() ? Shape{} : Shape{n, n}, out);
    };
  const auto run = evolve(slopes, y0.to_vector<double>(), times, ends.has_value(), options);
  constexpr Index many = 50000;
  if (run.steps > many && !options.until && options.method == StepMethod::dormand_prince)
    call.warn(fmt::format("{} steps were taken", grouped(run.steps)),
              "a stiff system takes fewer with method: \"rosenbrock\"");
  Shape rows = shape;
  rows.insert(0, static_cast<Index>(run.t.size()));
  return Value::record({{"t", Value::array(Array::vector(run.t))},
                        {"y", Value::array(Array::of<double>(rows, run.y))},
                        {"steps", Value(static_cast<double>(run.steps))},
                        {"rejected", Value(static_cast<double>(run.rejected))},
                        {"evaluations", Value(static_cast<double>(run.evaluations))},
                        {"stopped_at", run.stopped_at ? Value(*run.stopped_at) : Value::none()}});
}

}  // namespace

std::vector<Builtin> evolution_rows() {
  return {
      {
          .name = "evolve",
          .family = "differential equations",
          .summary = "The solution of dy/dt = f(t, y) from a state.",
          .parameters =
              {{"f", "f(t, y): the slopes, of the shape of the state; y is the whole state", ""},
               {"y0", "the state at the first time: a number or an array of any shape", ""},
               {"over", "a range or vector of times, or (start, end) for the steps as they come", ""},
               {"method",
                "\"dormand_prince\" (adaptive, orders 5 and 4), \"bulirsch_stoer\" (adaptive, high order, "
                "for "
                "smooth "
                "problems and small tolerances), \"rosenbrock\" (adaptive, for stiff systems), \"rk4\" or "
                "\"backward_euler\" (steps of a fixed length)",
                "\"dormand_prince\""},
               {"relative", "error of a step allowed, relative to each component", "1e-6"},
               {"absolute", "error allowed besides, in the unit of y", "1e-9"},
               {"step", "the fixed step, or the first one; times that are given are met exactly", "chosen"},
               {"until",
                "fn(t, y): a number that stops the solution where its sign changes, or a truth value that "
                "stops it where it becomes true",
                "none"},
               {"jacobian", "fn(t, y): the matrix of the derivatives of f by y, for implicit methods",
                "differences"}},
          .returns = "a record: t, y (a row for each time), steps, rejected, evaluations, stopped_at (a time "
                     "or none)",
          .errors = "slopes of another shape or not finite, times that turn back; a step that falls to "
                    "nothing, with its "
                    "time",
          .source = "J. R. Dormand, P. J. Prince, 1980; R. Bulirsch, J. Stoer, 1966; RODAS: E. Hairer, G. "
                    "Wanner, Solving "
                    "ODEs II, 1996; steps of Boost.Odeint",
          .example =
              "run = evolve(fn(t, y) = -y, 1, over: 0..2)\nnear(run.y, exp(-run.t), relative: 1e-5)\n"
              "fall = evolve(fn(t, y) = [y[2], -9.81], [20, 0], over: (0, 10), until: fn(t, y) = y[1])\n"
              "near(fall.stopped_at, sqrt(40 / 9.81))",
          .output = "near(run.y, exp(-run.t), relative: 1e-5) = true\nnear(fall.stopped_at, sqrt(40 / 9.81)) "
                    "= true",
          .run = evolve_row,
      },
  };
}

}  // namespace quill
