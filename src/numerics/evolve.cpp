#include "numerics/evolve.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <limits>

#include "base/error.h"
#include "base/interrupt.h"
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
    fail(fmt::format("the times are two at least, a start and an end, not {}", times.size()));
  for (std::size_t k = 0; k < times.size(); ++k) {
    if (!std::isfinite(times[k])) fail(fmt::format("time {} is not finite", k + 1));
    if (k > 0 && (times[k] == times[k - 1] || (times[k] > times[k - 1]) != (times[1] > times[0])))
      fail(fmt::format("the times run one way, and time {} ({}) turns back", k + 1, shortest(times[k])));
  }
}

class Run {
 public:
  Run(const Slopes& f, std::span<const double> y0, std::span<const double> times, bool own_steps,
      const EvolveOptions& options)
      : slopes_{f},
        times_(times),
        own_steps_(own_steps),
        options_(options),
        direction_(times[1] > times[0] ? 1 : -1),
        state_(y0.begin(), y0.end()) {}

  Trajectory whole() {
    stepper_ = make_stepper(slopes_, options_, times_[0], state_);
    check_start();
    keep(times_[0], state_);
    if (options_.until) {
      const double g = options_.until(times_[0], state_);
      // A condition that holds from the start; a number of 0 waits for its first sign.
      if (std::isinf(g) && g > 0) out_.stopped_at = times_[0];
      stop_before_ = std::clamp(g, -1.0, 1.0);
    }
    if (!out_.stopped_at) go();
    out_.evaluations = slopes_.evaluations;
    return std::move(out_);
  }

 private:
  void check_start() {
    State slope(state_.size());
    slopes_(state_, slope, times_[0]);
    for (std::size_t k = 0; k < slope.size(); ++k)
      if (!std::isfinite(slope[k]) || !std::isfinite(state_[k]))
        fail(fmt::format("the right side gives {} for component {} at the start",
                         std::isnan(slope[k]) ? "nan" : shortest(slope[k]), k + 1));
    first_ = first_step(slope);
  }

  void keep(double t, const State& y) {
    out_.t.push_back(t);
    out_.y.insert(out_.y.end(), y.begin(), y.end());
  }

  // E. Hairer, S. P. Nørsett, G. Wanner, Solving ODEs I, 1993, II.4, without its second evaluation.
  double first_step(const State& slope) const {
    const double whole = times_.back() - times_[0];
    if (options_.step > 0) return direction_ * std::min(options_.step, std::fabs(whole));
    double y = 0, dy = 0;
    for (std::size_t k = 0; k < slope.size(); ++k) {
      const double scale = options_.absolute + options_.relative * std::fabs(state_[k]);
      y = std::max(y, std::fabs(state_[k] / scale));
      dy = std::max(dy, std::fabs(slope[k] / scale));
    }
    const double h = y < 1e-5 || dy < 1e-5 ? 1e-6 * std::fabs(whole) : 0.01 * y / dy;
    return direction_ * std::min(h, std::fabs(whole));
  }

  void go() {
    const double end = times_.back();
    double h = first_;
    while (next_ < times_.size() && !out_.stopped_at) {
      if (out_.steps % 64 == 0) poll_interrupt();
      const double now = stepper_->t();
      double reaches = std::numeric_limits<double>::quiet_NaN();
      if (stepper_->has_fixed_steps()) {
        const double count = fixed_steps_left(now);
        h = (times_[next_] - now) / count;
        if (count == 1) reaches = times_[next_];
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
               "a smaller step helps, or a method that chooses its steps");
        continue;
      }
      ++out_.steps;
      if (options_.until && stops()) break;
      emit(std::isnan(reaches) ? stepper_->t() : reaches);
    }
  }

  // Equal steps to the next time asked for.
  double fixed_steps_left(double now) const {
    const double target = times_[next_], from = own_steps_ ? times_[0] : times_[next_ - 1];
    const double wanted = options_.step > 0 ? options_.step : std::fabs(target - from);
    return std::max(1.0, std::ceil(std::fabs(target - now) / wanted - 1e-9));
  }

  [[noreturn]] void fail_small_step(double t) const {
    const bool is_stiff_method = options_.method == StepMethod::rosenbrock;
    fail(fmt::format("the step fell to nothing at t = {}: the solution cannot be followed any further",
                     with_digits(t, 6)),
         is_stiff_method ? "does it grow without bounds, or jump, there?"
                         : "does it grow without bounds there? For a stiff system: method: \"rosenbrock\"");
  }

  // Rows for the times that the last step has passed.
  void emit(double reached) {
    if (own_steps_) {
      keep(reached, stepper_->y());
      if (reached == times_.back() || direction_ * (times_.back() - reached) <= 0) next_ = times_.size();
      return;
    }
    const double slack = 4 * std::numeric_limits<double>::epsilon() * std::fabs(reached);
    for (; next_ < times_.size() && direction_ * (times_[next_] - reached) <= slack; ++next_) {
      if (std::fabs(times_[next_] - reached) <= slack) {
        keep(times_[next_], stepper_->y());
      } else {
        stepper_->state_at(times_[next_], state_);
        keep(times_[next_], state_);
      }
    }
  }

  // Looks for a change of sign at some places within the last step.
  bool stops() {
    constexpr int parts = 4;
    const double from = stepper_->before(), to = stepper_->t();
    double before = from;
    for (int k = 1; k <= parts; ++k) {
      const double t = k == parts ? to : from + (to - from) * k / parts;
      const double g = stop_value(t);
      if (stop_before_ != 0 && g * stop_before_ <= 0) {
        stop_between(before, t, stop_before_, g);
        return true;
      }
      before = t;
      stop_before_ = g;
    }
    return false;
  }

  double stop_value(double t) {
    if (t == stepper_->t())
      state_ = stepper_->y();
    else
      stepper_->state_at(t, state_);
    const double g = options_.until(t, state_);
    if (std::isnan(g)) fail(fmt::format("the function `until` gives nan at t = {}", with_digits(t, 6)));
    // Conditions come as infinite numbers.
    return std::isinf(g) ? std::copysign(1.0, g) : g;
  }

  void stop_between(double a, double b, double at_a, double at_b) {
    double stop = b;
    if (at_b != 0) {
      std::uintmax_t rounds = 200;
      const auto bracket = boost::math::tools::toms748_solve(
          [&](double t) { return stop_value(t); }, std::min(a, b), std::max(a, b), a < b ? at_a : at_b,
          a < b ? at_b : at_a, boost::math::tools::eps_tolerance<double>(50), rounds);
      stop = direction_ > 0 ? bracket.second : bracket.first;
    }
    if (!own_steps_) emit(std::nextafter(stop, stepper_->before()));
    stop_value(stop);
    if (out_.t.back() != stop) keep(stop, state_);
    out_.stopped_at = stop;
  }

  CountedSlopes slopes_;
  std::span<const double> times_;
  bool own_steps_;
  const EvolveOptions& options_;
  double direction_;
  State state_;
  std::unique_ptr<Stepper> stepper_;
  double first_ = 0, stop_before_ = 0;
  std::size_t next_ = 1;
  Trajectory out_;
};

}  // namespace

Trajectory evolve(const Slopes& f, std::span<const double> y0, std::span<const double> times, bool own_steps,
                  const EvolveOptions& options) {
  check_times(times);
  if (!(options.relative > 0) || !(options.absolute > 0) || !(options.step >= 0))
    fail("the tolerances and the step of an evolution are positive");
  if (y0.empty()) fail("the state is empty");
  if (own_steps && options.step == 0 &&
      (options.method == StepMethod::rk4 || options.method == StepMethod::backward_euler))
    fail(fmt::format("the method \"{}\" takes steps of a fixed length, which is not given",
                     name_of(options.method)),
         "step: 0.01, or times for which the solution is wanted");
  return Run(f, y0, times, own_steps, options).whole();
}

}  // namespace quill
