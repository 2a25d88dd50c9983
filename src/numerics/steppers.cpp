#include "numerics/steppers.h"

#include <algorithm>
#include <boost/numeric/odeint/stepper/bulirsch_stoer.hpp>
#include <boost/numeric/odeint/stepper/runge_kutta4.hpp>
#include <boost/numeric/odeint/stepper/runge_kutta_dopri5.hpp>
#include <cmath>
#include <limits>

namespace quill {

namespace odeint = boost::numeric::odeint;

double Stepper::error_norm(const State& error, const State& next) const {
  double sum = 0;
  for (std::size_t k = 0; k < error.size(); ++k) {
    const double allowed =
        options_.absolute + options_.relative * std::max(std::fabs(y_[k]), std::fabs(next[k]));
    sum += error[k] / allowed * (error[k] / allowed);
    if (!std::isfinite(next[k])) return std::numeric_limits<double>::infinity();
  }
  const double norm = std::sqrt(sum / static_cast<double>(error.size()));
  return std::isnan(norm) ? std::numeric_limits<double>::infinity() : norm;
}

void Stepper::move_to(double t, State& next) {
  before_ = t_;
  t_ = t;
  y_before_.swap(y_);
  y_.swap(next);
}

double Stepper::rescaled(double h, double norm, double exponent) {
  constexpr double safety = 0.9, least = 0.2, most = 5;
  double factor = norm > 0 ? std::clamp(safety * std::pow(norm, -exponent), least, most) : most;
  // A step does not grow right after one that failed.
  if (norm <= 1 && was_rejected_) factor = std::min(factor, 1.0);
  was_rejected_ = norm > 1;
  return h * factor;
}

namespace {

bool is_finite(const State& y) {
  return std::all_of(y.begin(), y.end(), [](double x) { return std::isfinite(x); });
}

class RungeKutta4 : public Stepper {
 public:
  RungeKutta4(CountedSlopes& f, const EvolveOptions& o, double t, State y)
      : Stepper(f, o, t, std::move(y)), slope_(y_), slope_before_(y_), next_(y_) {
    f_(y_, slope_, t_);
  }
  bool has_fixed_steps() const override { return true; }
  int order() const override { return 4; }
  bool advance(double& h) override {
    stepper_.do_step(std::ref(f_), y_, slope_, t_, next_, h);
    if (!is_finite(next_)) return false;
    move_to(t_ + h, next_);
    slope_before_.swap(slope_);
    f_(y_, slope_, t_);
    return true;
  }
  // The cubic of values and slopes at both ends, of order 4 too.
  void state_at(double t, State& y) override {
    const double h = t_ - before_, b = (t - before_) / h, a = 1 - b;
    for (std::size_t k = 0; k < y.size(); ++k) {
      const double dy = y_[k] - y_before_[k];
      y[k] =
          a * y_before_[k] + b * y_[k] + a * b * (a * (h * slope_before_[k] - dy) + b * (dy - h * slope_[k]));
    }
  }

 private:
  odeint::runge_kutta4<State> stepper_;
  State slope_, slope_before_, next_;
};

class DormandPrince : public Stepper {
 public:
  DormandPrince(CountedSlopes& f, const EvolveOptions& o, double t, State y)
      : Stepper(f, o, t, std::move(y)),
        slope_(y_),
        slope_before_(y_),
        next_slope_(y_),
        next_(y_),
        error_(y_) {
    f_(y_, slope_, t_);
  }
  int order() const override { return 5; }
  bool advance(double& h) override {
    stepper_.do_step(std::ref(f_), y_, slope_, t_, next_, next_slope_, h, error_);
    const double norm = error_norm(error_, next_), tried = h;
    h = rescaled(h, norm, 0.2);
    if (norm > 1) return false;
    move_to(t_ + tried, next_);
    slope_before_.swap(slope_);
    slope_.swap(next_slope_);
    return true;
  }
  void state_at(double t, State& y) override {
    stepper_.calc_state(t, y, y_before_, slope_before_, before_, y_, slope_, t_);
  }

 private:
  odeint::runge_kutta_dopri5<State> stepper_;
  State slope_, slope_before_, next_slope_, next_, error_;
};

class BulirschStoer : public Stepper {
 public:
  BulirschStoer(CountedSlopes& f, const EvolveOptions& o, double t, State y)
      : Stepper(f, o, t, std::move(y)),
        stepper_(o.absolute, o.relative, 1.0, 0.0),
        slope_(y_),
        slope_before_(y_),
        next_(y_) {
    f_(y_, slope_, t_);
  }
  int order() const override { return 8; }
  bool advance(double& h) override {
    double t = t_;
    const double tried = h;
    const auto result = stepper_.try_step(std::ref(f_), y_, slope_, t, next_, h);
    if (result == odeint::fail || !is_finite(next_)) {
      if (!(std::fabs(h) < std::fabs(tried))) h = tried / 4;
      return false;
    }
    move_to(t_ + tried, next_);
    slope_before_.swap(slope_);
    f_(y_, slope_, t_);
    return true;
  }
  // Its steps are long and of high order: within one it goes to the time itself.
  void state_at(double t, State& y) override {
    odeint::bulirsch_stoer<State> inner(options_.absolute, options_.relative, 1.0, 0.0);
    double now = before_;
    State slope = slope_before_, arrived(y.size());
    y = y_before_;
    while ((t_ > before_ && now < t) || (t_ < before_ && now > t)) {
      double h = t - now, then = now;
      while (inner.try_step(std::ref(f_), y, slope, then, arrived, h) == odeint::fail) {
        if (std::fabs(h) < 1e-14 * std::fabs(t_ - before_)) return;
      }
      if (then == now) return;
      now = then;
      y.swap(arrived);
      if (now != t) f_(y, slope, now);
    }
  }

 private:
  odeint::bulirsch_stoer<State> stepper_;
  State slope_, slope_before_, next_;
};

}  // namespace

std::unique_ptr<Stepper> make_stepper(CountedSlopes& f, const EvolveOptions& options, double t, State y) {
  switch (options.method) {
    case StepMethod::rk4: return std::make_unique<RungeKutta4>(f, options, t, std::move(y));
    case StepMethod::dormand_prince: return std::make_unique<DormandPrince>(f, options, t, std::move(y));
    case StepMethod::bulirsch_stoer: return std::make_unique<BulirschStoer>(f, options, t, std::move(y));
    default: return make_implicit_stepper(f, options, t, std::move(y));
  }
}

}  // namespace quill
