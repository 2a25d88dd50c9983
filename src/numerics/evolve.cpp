#include "numerics/evolve.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <limits>
#include <utility>

#include "base/error.h"
#include "base/interrupt.h"
#include "base/progress.h"
#include "numerics/evolve_error.h"
#include "numerics/steppers.h"

namespace quill {

std::string_view name_of(StepMethod method) {
  switch (method) {
    case StepMethod::rk4: return "rk4";
    case StepMethod::dormand_prince: return "dormand_prince";
    case StepMethod::bulirsch_stoer: return "bulirsch_stoer";
    case StepMethod::rosenbrock: return "rosenbrock";
    case StepMethod::backward_euler: return "backward_euler";
  }
  return "";
}

namespace {

void check_times(std::span<const double> times) {
  if (times.size() < 2)
    fail(fmt::format("evolve requires at least two times, a start and an end, not {}", times.size()));
  for (std::size_t k = 0; k < times.size(); ++k) {
    if (!std::isfinite(times[k])) fail(fmt::format("time {} is not finite", k + 1));
    if (k > 0 && (times[k] == times[k - 1] || (times[k] > times[k - 1]) != (times[1] > times[0])))
      fail(fmt::format("the times must be monotonic, but time {} ({}) changes direction", k + 1,
                       shortest(times[k])));
  }
}

// Looks for events in the steps of a solution.
class EventSearch {
 public:
  EventSearch(const std::vector<StopEvent>& events, double direction)
      : events_(events), direction_(direction) {}

  // Whether an event that ends the solution holds at its start.
  std::optional<std::size_t> start(double t, const State& y) {
    std::optional<std::size_t> holds;
    for (std::size_t e = 0; e < events_.size(); ++e) {
      const double g = events_[e].f(t, y);
      // A condition that holds; a number of 0 waits for its first sign.
      if (std::isinf(g) && g > 0 && events_[e].ends && !holds) holds = e;
      before_.push_back(sign(g, t));
    }
    return holds;
  }

  // Where the events of the last step were, in the order of time, up to the first that ends the solution.
  std::vector<Trajectory::Found> in_step(Stepper& stepper) {
    std::vector<Trajectory::Found> out;
    constexpr int parts = 4;
    const double from = stepper.before(), to = stepper.t();
    double before = from;
    for (int k = 1; k <= parts; ++k) {
      const double t = k == parts ? to : from + (to - from) * k / parts;
      bool ends = false;
      for (std::size_t e = 0; e < events_.size(); ++e) {
        const double g = value(stepper, e, t), last = std::exchange(before_[e], g);
        if (last == 0 || g * last > 0) continue;
        if (events_[e].direction * last > 0) continue;
        out.push_back({e, place(stepper, e, before, t, last, g), state_});
        ends = ends || events_[e].ends;
      }
      if (ends) break;
      before = t;
    }
    std::stable_sort(out.begin(), out.end(),
                     [&](const auto& a, const auto& b) { return direction_ * (a.t - b.t) < 0; });
    const auto last =
        std::find_if(out.begin(), out.end(), [&](const auto& f) { return events_[f.event].ends; });
    if (last != out.end()) out.erase(last + 1, out.end());
    return out;
  }

 private:
  static double sign(double g, double t) {
    if (std::isnan(g)) fail(fmt::format("an event function is nan at t = {}", with_digits(t, 6)));
    return std::isinf(g) ? std::copysign(1.0, g) : g;
  }
  double value(Stepper& stepper, std::size_t e, double t) {
    stepper.state_in_step(t, state_);
    return sign(events_[e].f(t, state_), t);
  }
  // The first time on the far side, whose state is in state_ then.
  double place(Stepper& stepper, std::size_t e, double a, double b, double at_a, double at_b) {
    double t = b;
    if (at_b != 0) {
      std::uintmax_t rounds = 200;
      const auto bracket = boost::math::tools::toms748_solve(
          [&](double x) { return value(stepper, e, x); }, std::min(a, b), std::max(a, b), a < b ? at_a : at_b,
          a < b ? at_b : at_a, boost::math::tools::eps_tolerance<double>(50), rounds);
      t = direction_ > 0 ? bracket.second : bracket.first;
    }
    stepper.state_in_step(t, state_);
    return t;
  }

  const std::vector<StopEvent>& events_;
  double direction_;
  State before_, state_;
};

// A size for each component, in its own unit: that of the start, or how far its slope takes it in a time that
// the fastest of the others needs to change by itself; the largest size where both are 0.
State sizes_at_start(const State& y0, const State& slopes, double whole) {
  double span = whole;
  for (std::size_t k = 0; k < y0.size(); ++k)
    if (y0[k] != 0 && slopes[k] != 0) span = std::min(span, std::fabs(y0[k] / slopes[k]));
  State out(y0.size());
  for (std::size_t k = 0; k < y0.size(); ++k) {
    const double moved = std::fabs(slopes[k]) * span;
    out[k] = std::max(std::fabs(y0[k]), std::isfinite(moved) ? moved : 0);
  }
  const double largest = *std::max_element(out.begin(), out.end());
  for (auto& size : out)
    if (size == 0) size = largest > 0 ? largest : 1;
  return out;
}

class Run {
 public:
  Run(const Slopes& f, std::span<const double> y0, std::span<const double> times, bool own_steps,
      const EvolveOptions& options)
      : slopes_{f, options.limit},
        times_(times),
        own_steps_(own_steps),
        options_(options),
        direction_(times[1] > times[0] ? 1 : -1),
        events_(options.events, direction_),
        state_(y0.begin(), y0.end()) {}

  Trajectory whole() {
    begin();
    check_steps();
    keep(times_[0], state_);
    if (const auto holds = events_.start(times_[0], state_)) {
      out_.stopped_at = times_[0];
      out_.found.push_back({*holds, times_[0], state_});
    } else {
      go();
    }
    out_.evaluations = slopes_.evaluations;
    return std::move(out_);
  }

 private:
  void begin() {
    State slope(state_.size());
    slopes_(state_, slope, times_[0]);
    for (std::size_t k = 0; k < slope.size(); ++k)
      if (!std::isfinite(slope[k]) || !std::isfinite(state_[k]))
        fail(fmt::format("the right-hand side is {} for component {} at the start",
                         std::isnan(slope[k]) ? "nan" : shortest(slope[k]), k + 1));
    const double whole = times_.back() - times_[0];
    const auto is_zero = [](double x) { return x == 0; };
    auto slope_for_sizes = slope;
    double span = std::fabs(whole);
    if (std::all_of(state_.begin(), state_.end(), is_zero) &&
        std::all_of(slope.begin(), slope.end(), is_zero)) {
      // At rest: by the forces shortly after.
      constexpr double soon = 1e-3;
      span *= soon;
      slopes_(state_, slope_for_sizes, times_[0] + soon * whole);
    }
    out_.sizes = sizes_at_start(state_, slope_for_sizes, span);
    const Tolerances tolerances(options_, out_.sizes);
    first_ = first_step(tolerances, slope);
    stepper_ = make_stepper(slopes_, options_, tolerances, times_[0], state_);
  }

  // Fixed steps beyond the limit are not begun.
  void check_steps() const {
    if (!stepper_->has_fixed_steps() || options_.step == 0) return;
    const double steps = std::fabs(times_.back() - times_[0]) / options_.step;
    if (steps > static_cast<double>(options_.limit))
      fail(fmt::format("steps of {} need {} steps up to the end, and the limit is {} evaluations",
                       with_digits(options_.step, 3), with_digits(steps, 3), grouped(options_.limit)),
           "use a longer step, or an adaptive method");
  }

  void keep(double t, const State& y) {
    out_.t.push_back(t);
    out_.y.insert(out_.y.end(), y.begin(), y.end());
  }

  // E. Hairer, S. P. Nørsett, G. Wanner, Solving ODEs I, 1993, II.4, without its second evaluation.
  double first_step(const Tolerances& tolerances, const State& slope) const {
    const double whole = times_.back() - times_[0];
    if (options_.step > 0) return direction_ * std::min(options_.step, std::fabs(whole));
    double y = 0, dy = 0;
    for (std::size_t k = 0; k < slope.size(); ++k) {
      const double scale = tolerances.allowed(k, state_[k]);
      y = std::max(y, std::fabs(state_[k] / scale));
      dy = std::max(dy, std::fabs(slope[k] / scale));
    }
    const double h = y < 1e-5 || dy < 1e-5 ? 1e-6 * std::fabs(whole) : 0.01 * y / dy;
    return direction_ * std::min(h, std::fabs(whole));
  }

  // The greatest step from here.
  double longest() const {
    if (options_.longest > 0) return options_.longest;
    if (own_steps_ || options_.method == StepMethod::bulirsch_stoer)
      return std::numeric_limits<double>::infinity();
    return std::fabs(times_[next_] - times_[next_ - 1]);
  }

  void go() {
    const double end = times_.back();
    double h = first_;
    const Progress progress("evolving up to " + with_digits(end, 4),
                            [&] { return (stepper_->t() - times_[0]) / (end - times_[0]); });
    while (next_ < times_.size() && !out_.stopped_at) {
      if (out_.steps % 64 == 0) poll_interrupt();
      const double now = stepper_->t();
      double reaches = std::numeric_limits<double>::quiet_NaN();
      if (stepper_->has_fixed_steps()) {
        const double count = fixed_steps_left(now);
        h = (times_[next_] - now) / count;
        if (count == 1) reaches = times_[next_];
      } else {
        h = direction_ * std::min(std::fabs(h), longest());
      }
      // A step that nearly reaches the end does so.
      if (!stepper_->has_fixed_steps() && direction_ * (now + 1.01 * h - end) >= 0) {
        h = end - now;
        reaches = end;
      }
      if (std::fabs(h) <= 8 * std::numeric_limits<double>::epsilon() * std::fabs(now) ||
          std::fabs(h) < std::numeric_limits<double>::min() * 1e10)
        fail_small_step(now);
      if (!stepper_->advance(h)) {
        ++out_.rejected;
        if (stepper_->has_fixed_steps())
          fail(fmt::format("a step of {} from t = {} has no finite result", with_digits(h, 3),
                           with_digits(now, 6)),
               "use a smaller step, or an adaptive method");
        continue;
      }
      ++out_.steps;
      if (!options_.events.empty() && stops()) break;
      emit(std::isnan(reaches) ? stepper_->t() : reaches);
    }
  }

  // Equal steps to the next requested time.
  double fixed_steps_left(double now) const {
    const double target = times_[next_], from = own_steps_ ? times_[0] : times_[next_ - 1];
    const double wanted = options_.step > 0 ? options_.step : std::fabs(target - from);
    return std::max(1.0, std::ceil(std::fabs(target - now) / wanted - 1e-9));
  }

  [[noreturn]] void fail_small_step(double t) const {
    const bool is_stiff_method = options_.method == StepMethod::rosenbrock;
    fail(fmt::format("step size underflow at t = {}: the solution cannot be continued", with_digits(t, 6)),
         is_stiff_method ? "does it grow without bound, or jump, there?"
                         : "does it grow without bound there? For a stiff system: method: \"rosenbrock\"");
  }

  // Rows for the times that the last step has passed up to `reached`.
  void emit(double reached) {
    if (own_steps_) {
      keep(reached, stepper_->y());
      if (reached == times_.back() || direction_ * (times_.back() - reached) <= 0) next_ = times_.size();
      return;
    }
    const double slack = 4 * std::numeric_limits<double>::epsilon() * std::fabs(reached);
    for (; next_ < times_.size() && direction_ * (times_[next_] - reached) <= slack; ++next_) {
      stepper_->state_in_step(times_[next_], state_);
      keep(times_[next_], state_);
    }
  }

  // Notes the events of the last step; whether one of them ends the solution.
  bool stops() {
    for (auto& found : events_.in_step(*stepper_)) {
      const bool ends = options_.events[found.event].ends;
      if (ends) {
        if (!own_steps_) emit(found.t);
        // A requested time already has a row.
        constexpr double slack = 16 * std::numeric_limits<double>::epsilon();
        if (std::fabs(out_.t.back() - found.t) > slack * std::fabs(found.t)) keep(found.t, found.y);
        out_.stopped_at = out_.t.back();
      }
      out_.found.push_back(std::move(found));
      if (ends) return true;
    }
    return false;
  }

  CountedSlopes slopes_;
  std::span<const double> times_;
  bool own_steps_;
  const EvolveOptions& options_;
  double direction_;
  EventSearch events_;
  State state_;
  std::unique_ptr<Stepper> stepper_;
  double first_ = 0;
  std::size_t next_ = 1;
  Trajectory out_;
};

void check_options(std::span<const double> y0, bool own_steps, const EvolveOptions& options) {
  const auto positive = [](double x) { return x > 0; };
  if (!std::all_of(options.relative.begin(), options.relative.end(), positive) ||
      !std::all_of(options.absolute.begin(), options.absolute.end(), positive) || !(options.step >= 0))
    fail("tolerances and steps must be above 0");
  if (y0.empty()) fail("the state is empty");
  for (const auto* t : {&options.relative, &options.absolute})
    if (!t->empty() && t->size() != 1 && t->size() != y0.size())
      fail(fmt::format("a tolerance must be a single number or {}, one for each component, not {}", y0.size(),
                       t->size()));
  if (options.method == StepMethod::bulirsch_stoer && options.relative.size() > 1)
    fail("the method \"bulirsch_stoer\" takes one relative tolerance for all components",
         "absolute: may have one for each");
  if (own_steps && options.step == 0 &&
      (options.method == StepMethod::rk4 || options.method == StepMethod::backward_euler))
    fail(fmt::format("the method \"{}\" has a fixed step, which must be given", name_of(options.method)),
         "step: 0.01, or output times");
}

}  // namespace

Trajectory evolve(const Slopes& f, std::span<const double> y0, std::span<const double> times, bool own_steps,
                  const EvolveOptions& options) {
  check_times(times);
  check_options(y0, own_steps, options);
  auto out = Run(f, y0, times, own_steps, options).whole();
  if (options.confirm) estimate_errors(out, f, y0, times, own_steps, options);
  return out;
}

}  // namespace quill
