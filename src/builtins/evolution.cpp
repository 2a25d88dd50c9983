// Differential equations.
#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "builtins/arguments.h"
#include "builtins/callbacks.h"
#include "builtins/choices.h"
#include "builtins/tables.h"
#include "numerics/evolve.h"
#include "value/runtime.h"

namespace quill {

namespace evolution_calls {
namespace {

// The form of a state: complex numbers go as pairs of real ones.
struct StateForm {
  Shape shape;
  bool is_complex = false;
  Index count() const { return size_of(shape) * (is_complex ? 2 : 1); }
  ElementType type() const { return is_complex ? ElementType::complex128 : ElementType::float64; }
};

void copy_numbers(std::span<const double> from, const StateForm& form, Array& to) {
  if (!form.is_complex) {
    std::copy(from.begin(), from.end(), to.mutable_data<double>());
    return;
  }
  auto* z = to.mutable_data<Complex>();
  for (std::size_t k = 0; k < from.size(); k += 2) *z++ = {from[k], from[k + 1]};
}

// A state as a value; the array is reused while it is unshared.
class StateArgument {
 public:
  explicit StateArgument(const StateForm& form) : form_(form) {}
  const Value& of(std::span<const double> y) {
    if (form_.shape.empty() && !form_.is_complex) {
      value_ = Value(y[0]);
      return value_;
    }
    if (!value_.is(Kind::array) || value_.object<ArrayObject>().use_count() > 1 ||
        value_.array().shares_storage())
      value_ = Value(Kind::array, new ArrayObject(Array(form_.type(), form_.shape)));
    copy_numbers(y, form_, value_.array_to_change());
    return value_;
  }

 private:
  StateForm form_;
  Value value_;
};

// The numbers that a function gave, where as many are wanted.
void take_numbers(const Call& call, std::size_t i, const Value& given, const StateForm& wanted,
                  std::span<double> out) {
  const auto value = numeric_value(given);
  if (value.is_number() && wanted.shape.empty() && !wanted.is_complex) {
    out[0] = value.number();
    return;
  }
  const auto fits = [&] {
    return value.is_array_like() && is_numeric(element_type_of(value)) &&
           (wanted.is_complex || element_type_of(value) != ElementType::complex128) &&
           shape_of(value) == wanted.shape;
  };
  if (!fits())
    fail(fmt::format("evolve: `{}` returned {}; it must return {}", call.row.parameters[i].name,
                     kind_in_words(value),
                     wanted.shape.empty() ? "a single number"
                                          : fmt::format("an array of shape {}", text_of(wanted.shape))),
         value.is_array_like() && element_type_of(value) == ElementType::complex128 && !wanted.is_complex
             ? "start a complex state with complex numbers: complex(1)"
             : "");
  if (value.is(Kind::array) && value.array().type() == ElementType::float64 && value.array().is_row_major() &&
      !wanted.is_complex) {
    const auto* from = value.array().data<double>();
    std::copy(from, from + out.size(), out.begin());
    return;
  }
  if (wanted.is_complex) {
    std::size_t k = 0;
    for (const auto& z : to_array(value).converted(ElementType::complex128).to_vector<Complex>()) {
      out[k++] = z.real();
      out[k++] = z.imag();
    }
    return;
  }
  const auto numbers = to_array(value).converted(ElementType::float64).to_vector<double>();
  std::copy(numbers.begin(), numbers.end(), out.begin());
}

enum Parameters : std::size_t {
  kF,
  kY0,
  kOver,
  kMethod,
  kRelative,
  kAbsolute,
  kStep,
  kUntil,
  kJacobian,
  kEvents,
  kLongest,
  kLimit,
  kConfirm
};

double positive(const Call& call, std::size_t i) {
  const double x = call.number(i);
  if (!(x > 0) || std::isinf(x)) call.fail_argument(i, "must be a number above 0");
  return x;
}

// One tolerance, or one for each component.
void take_tolerances(const Call& call, std::size_t i, const StateForm& state, std::vector<double>& out) {
  if (!call.given(i)) return;
  const auto given = call.reals(i);
  if (given.axes() > 0 && given.shape() != state.shape)
    call.fail_argument(i,
                       state.shape.empty()
                           ? "must be a single number, as the state is"
                           : fmt::format("must be a single number or have the shape of the state, {}; not {}",
                                         text_of(state.shape), text_of(given.shape())));
  out.clear();
  for (const double x : given.to_vector<double>()) {
    if (!(x > 0) || std::isinf(x))
      call.fail_argument(i, given.axes() == 0 ? "must be a number above 0" : "must contain numbers above 0");
    out.insert(out.end(), given.axes() > 0 && state.is_complex ? 2 : 1, x);
  }
}

EvolveOptions evolve_options(const Call& call, const StateForm& state) {
  EvolveOptions o;
  using enum StepMethod;
  const auto name = call.one_of(kMethod);
  for (const auto method : {rk4, bulirsch_stoer, rosenbrock, backward_euler})
    if (name_of(method) == name) o.method = method;
  take_tolerances(call, kRelative, state, o.relative);
  take_tolerances(call, kAbsolute, state, o.absolute);
  if (call.given(kStep)) o.step = positive(call, kStep);
  if (call.given(kLongest)) {
    if (o.method == rk4 || o.method == backward_euler)
      call.fail_argument(kLongest, "requires a method with adaptive steps", "step: 0.01");
    o.longest = call.number(kLongest);
    if (!(o.longest > 0)) call.fail_argument(kLongest, "must be a number above 0, or inf");
  }
  o.limit = limit_argument(call, kLimit, o.limit);
  o.confirm = call.boolean_or(kConfirm, true);
  if (call.given(kJacobian)) {
    if (o.method != rosenbrock && o.method != backward_euler)
      call.fail_argument(kJacobian, "requires method \"rosenbrock\" or \"backward_euler\"");
    if (state.is_complex) call.fail_argument(kJacobian, "requires a real state");
  }
  return o;
}

// The events of an argument: a function, a function with its direction, or a record of such.
class Events {
 public:
  Events(const Call& call, StateArgument& state, std::vector<StopEvent>& out)
      : call_(call), state_(state), out_(out) {}

  void take(std::size_t i, bool ends) {
    const auto& given = call_.value(i);
    if (given.is(Kind::unset) || given.is(Kind::none)) return;
    if (!given.is(Kind::record)) {
      if (!ends) call_.fail_argument(i, "must be a record of functions, which names them", kExample);
      add(i, "until", given, ends);
      return;
    }
    for (const auto& [name, item] : given.object<RecordObject>().fields) add(i, name, item, ends);
  }
  const std::string& name(std::size_t event) const { return names_[event]; }
  // The times and states of each event.
  Value found(const Trajectory& run, const StateForm& state) const {
    std::vector<std::pair<std::string, Value>> fields;
    for (std::size_t e = 0; e < names_.size(); ++e) {
      std::vector<double> t, y;
      for (const auto& f : run.found)
        if (f.event == e) {
          t.push_back(f.t);
          y.insert(y.end(), f.y.begin(), f.y.end());
        }
      fields.emplace_back(
          names_[e], Value::record({{"t", Value::array(Array::vector(t))}, {"y", rows(t.size(), y, state)}}));
    }
    return Value::record(std::move(fields));
  }
  // States as rows.
  static Value rows(std::size_t count, std::span<const double> y, const StateForm& state) {
    Shape shape = state.shape;
    shape.insert(0, static_cast<Index>(count));
    Array out(state.type(), shape);
    copy_numbers(y, state, out);
    return Value::array(std::move(out));
  }

 private:
  static constexpr const char* kExample =
      "events: (top: fn(t, y) = y[2], ground: (fn(t, y) = y[1], \"falling\"))";

  void add(std::size_t i, const std::string& name, const Value& item, bool ends) {
    StopEvent event{nullptr, 0, ends};
    Value f = item;
    if (item.is(Kind::tuple) && item.object<TupleObject>().items.size() == 2) {
      const auto& items = item.object<TupleObject>().items;
      const auto way = items[1].is(Kind::text) ? items[1].text() : "";
      if (way != "rising" && way != "falling")
        call_.fail_argument(i, "has a direction that is neither \"rising\" nor \"falling\"", kExample);
      event.direction = way == "rising" ? 1 : -1;
      f = items[0];
    }
    if (!f.is_callable())
      call_.fail_argument(i, fmt::format("must be a function of t and y, not {}", kind_in_words(f)),
                          kExample);
    if (std::find(names_.begin(), names_.end(), name) != names_.end())
      call_.fail_argument(i, fmt::format("contains the event `{}` twice", name));
    event.f = [this, f, i](double t, std::span<const double> y) {
      const Value arguments[] = {Value(t), state_.of(y)};
      const auto result = call_.runtime.call(f, arguments);
      // A condition is an infinite number for the search.
      constexpr double infinite = std::numeric_limits<double>::infinity();
      if (result.is(Kind::boolean)) return result.boolean() ? infinite : -infinite;
      double g = 0;
      take_numbers(call_, i, result, {}, std::span(&g, 1));
      return g;
    };
    names_.push_back(name);
    out_.push_back(std::move(event));
  }

  const Call& call_;
  StateArgument& state_;
  std::vector<StopEvent>& out_;
  std::vector<std::string> names_;
};

std::vector<double> numbers_of(const Array& state, const StateForm& form) {
  if (!form.is_complex) return state.converted(ElementType::float64).to_vector<double>();
  std::vector<double> out;
  for (const auto& z : state.to_vector<Complex>()) {
    out.push_back(z.real());
    out.push_back(z.imag());
  }
  return out;
}

// Of each number of the state; none without a second solution.
Value errors_of(const Trajectory& run, StateForm form) {
  if (run.error.empty()) return Value::none();
  if (!form.is_complex) return Events::rows(run.t.size(), run.error, form);
  std::vector<double> out;
  for (std::size_t k = 0; k < run.error.size(); k += 2)
    out.push_back(std::hypot(run.error[k], run.error[k + 1]));
  form.is_complex = false;
  return Events::rows(run.t.size(), out, form);
}

void warn_of(Call& call, const Trajectory& run, const EvolveOptions& options) {
  if (!run.unconfirmed.empty())
    call.warn("the error is not known, because the more accurate solution failed: " + run.unconfirmed,
              "confirm: false solves once and returns no errors");
  if (run.uncertain_from) {
    const bool is_fixed = options.method == StepMethod::rk4 || options.method == StepMethod::backward_euler;
    const double step = options.step > 0 ? options.step : std::fabs(run.t[1] - run.t[0]);
    const auto better = is_fixed ? "step: " + with_digits(step / 4, 2)
                                 : "relative: " + with_digits(options.relative[0] / 1000, 2);
    call.warn(fmt::format("from t = {} on, the relative error may exceed 0.001",
                          with_digits(*run.uncertain_from, 4)),
              better + " is more accurate; the field `error` has the error of each number");
  }
  constexpr Index many = 50000;
  if (run.steps > many && options.events.empty() && options.method == StepMethod::dormand_prince)
    call.warn(fmt::format("{} steps were taken", grouped(run.steps)),
              "a stiff system takes fewer steps with method: \"rosenbrock\"");
}

Value evolve_row(Call& call) {
  const Value f = call.callable(kF);
  const auto y0 = call.numbers(kY0);
  const StateForm form{y0.shape(), y0.type() == ElementType::complex128};
  auto options = evolve_options(call, form);
  std::vector<double> times;
  const auto ends = call.value(kOver).is(Kind::tuple) ? number_pair(call.value(kOver)) : std::nullopt;
  if (ends)
    times = {ends->first, ends->second};
  else if (call.value(kOver).is(Kind::tuple))
    call.fail_argument(kOver, "must be a range or vector of times, or a pair (start, end)",
                       "over: 0..10 by 0.1");
  else
    times = call.vector(kOver).to_vector<double>();

  StateArgument state(form);
  DirectCall direct{.sizes = {0, 0}};
  const int size = form.shape.empty() ? 0 : static_cast<int>(std::min<Index>(size_of(form.shape), 1000));
  direct.sizes.of[1] = direct.result_size = size;
  direct.is_off = form.is_complex || form.shape.count() > 1 || (form.shape.count() == 1 && size == 0);
  std::vector<double> given;
  const Slopes slopes = [&](double t, std::span<const double> y, std::span<double> out) {
    if (!direct.is_off) {
      given.assign(1, t);
      given.insert(given.end(), y.begin(), y.end());
      if (call.runtime.call_direct(direct, f, given, out)) return;
    }
    const Value arguments[] = {Value(t), state.of(y)};
    take_numbers(call, kF, call.runtime.call(f, arguments), form, out);
  };
  Events events(call, state, options.events);
  events.take(kUntil, true);
  events.take(kEvents, false);
  if (call.given(kJacobian))
    options.jacobian = [&, matrix = call.callable(kJacobian)](double t, std::span<const double> y,
                                                              std::span<double> out) {
      const Value arguments[] = {Value(t), state.of(y)};
      const auto n = static_cast<Index>(y.size());
      take_numbers(call, kJacobian, call.runtime.call(matrix, arguments),
                   {form.shape.empty() ? Shape{} : Shape{n, n}}, out);
    };
  const auto run = evolve(slopes, numbers_of(y0, form), times, ends.has_value(), options);
  warn_of(call, run, options);
  return Value::record(
      {{"t", Value::array(Array::vector(run.t))},
       {"y", Events::rows(run.t.size(), run.y, form)},
       {"error", errors_of(run, form)},
       {"steps", Value(static_cast<double>(run.steps))},
       {"rejected", Value(static_cast<double>(run.rejected))},
       {"evaluations", Value(static_cast<double>(run.evaluations))},
       {"stopped_at", run.stopped_at ? Value(*run.stopped_at) : Value::none()},
       {"stopped_by", run.stopped_at ? Value::text(events.name(run.found.back().event)) : Value::none()},
       {"events", events.found(run, form)}});
}

}  // namespace
}  // namespace evolution_calls

std::vector<Builtin> evolution_rows() {
  using namespace evolution_calls;
  return {
      {
          .name = "evolve",
          .family = "differential equations",
          .summary = "Solve the initial value problem dy/dt = f(t, y).",
          .parameters =
              {called_with(2, {"f", "f(t, y): derivatives, in the shape of the state", ""}),
               {"y0", "initial state: a number, or an array of any shape, real or complex", ""},
               {"over",
                "output times: a range or vector, or (start, end) for the times of the solver's own steps",
                ""},
               one_of({"method",
                       "\"dormand_prince\" (adaptive, orders 5 and 4), \"bulirsch_stoer\" (adaptive, high "
                       "order, for smooth problems and small tolerances), \"rosenbrock\" (adaptive, for "
                       "stiff systems), \"rk4\" or \"backward_euler\" (fixed step)",
                       "\"dormand_prince\""},
                      choices::kSteppers),
               {"relative", "relative error allowed in a step: a number, or one for each component", "1e-6"},
               advanced(
                   {"absolute",
                    "absolute error allowed in a step, in the unit of y: a number, or one for each component",
                    "from the scale of each component"}),
               {"step",
                "fixed step, or first step of an adaptive method; output times are always met exactly",
                "automatic"},
               {"until",
                "stop condition fn(t, y): a number that changes sign, or a boolean that becomes true; (f, "
                "\"rising\") or (f, \"falling\") for one direction, a record of several named conditions",
                "none"},
               advanced({"jacobian",
                         "fn(t, y): matrix of the derivatives of f with respect to y, for implicit methods",
                         "finite differences"}),
               advanced({"events",
                         "record of functions like `until` whose times are recorded without stopping",
                         "none"}),
               advanced({"longest", "longest step of adaptive methods; inf for no limit",
                         "the interval between output times (\"bulirsch_stoer\": none)"}),
               advanced({"limit", "maximum number of evaluations of f; more are an error", "10000000"}),
               advanced({"confirm",
                         "whether to estimate errors by a second solution with a tenth of the tolerances or "
                         "half the step",
                         "true"})},
          .returns = "a record: t, y (one row for each time), error (of each number in y; none with confirm: "
                     "false), steps, rejected, evaluations (of both solutions), stopped_at (a time or none), "
                     "stopped_by (name of the stop condition), events (for each name a record t, y)",
          .errors = "if f returns another shape or a value that is not finite; if the times are not "
                    "monotonic; if the step size underflows, with its time",
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
