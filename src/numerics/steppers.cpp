#include "numerics/steppers.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/numeric/odeint/stepper/bulirsch_stoer.hpp>
#include <boost/numeric/odeint/stepper/runge_kutta4.hpp>
#include <boost/numeric/odeint/stepper/runge_kutta_dopri5.hpp>
#include <cmath>
#include <functional>
#include <limits>

#include "base/error.h"

namespace quill {

namespace odeint = boost::numeric::odeint;

double Stepper::error_norm(const State& error, const State& next) const {
  double sum = 0;
  for (std::size_t k = 0; k < error.size(); ++k) {
    const double part = error[k] / tolerances_.allowed(k, std::max(std::fabs(y_[k]), std::fabs(next[k])));
    sum += part * part;
    if (!std::isfinite(next[k])) return std::numeric_limits<double>::infinity();
  }
  const double norm = std::sqrt(sum / static_cast<double>(error.size()));
  return std::isnan(norm) ? std::numeric_limits<double>::infinity() : norm;
}

void CountedSlopes::fail_at_limit(double t) const {
  fail(fmt::format("after {} evaluations the solution has only reached t = {}", grouped(limit),
                   with_digits(t, 6)),
       "increase limit; a stiff system takes fewer evaluations with method: \"rosenbrock\"");
}

void Stepper::state_in_step(double t, State& y) {
  y.resize(y_.size());
  const double slack = 4 * std::numeric_limits<double>::epsilon() * std::fabs(t_);
  if (std::fabs(t - t_) <= slack)
    y = y_;
  else
    state_at(t, y);
}

void Stepper::move_to(double t, State& next) {
  before_ = t_;
  t_ = t;
  y_before_.swap(y_);
  y_.swap(next);
  tolerances_.reach(y_);
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
  RungeKutta4(CountedSlopes& f, Tolerances tolerances, double t, State y)
      : Stepper(f, std::move(tolerances), t, std::move(y)), slope_(y_), slope_before_(y_), next_(y_) {
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
  DormandPrince(CountedSlopes& f, Tolerances tolerances, double t, State y)
      : Stepper(f, std::move(tolerances), t, std::move(y)),
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

// Works on states in units of the absolute tolerances, which the library has one of.
class BulirschStoer : public Stepper {
 public:
  BulirschStoer(CountedSlopes& f, Tolerances tolerances, double t, State y)
      : Stepper(f, std::move(tolerances), t, std::move(y)),
        stepper_(1.0, tolerances_.relative(0), 1.0, 0.0),
        unit_(y_.size()),
        at_(y_),
        slope_(y_),
        next_(y_) {
    for (std::size_t k = 0; k < unit_.size(); ++k) unit_[k] = tolerances_.absolute(k);
    node_y_[0] = scaled(y_);
    scaled_slopes(node_y_[0], slope_, t_);
    node_slope_[0] = slope_;
  }
  int order() const override { return 8; }
  bool advance(double& h) override {
    double t = t_;
    const double tried = h;
    auto& from = is_first_ ? node_y_[0] : node_y_[kNodes - 1];
    adapt_units(from);
    const auto result = stepper_.try_step(system(), from, slope_, t, next_, h);
    if (result == odeint::fail || !is_finite(next_)) {
      if (!(std::fabs(h) < std::fabs(tried))) h = tried / 4;
      return false;
    }
    node_y_[0] = from;
    node_slope_[0] = slope_;
    node_y_[kNodes - 1] = next_;
    scaled_slopes(next_, slope_, t_ + tried);
    node_slope_[kNodes - 1] = slope_;
    is_first_ = has_inner_ = false;
    at_ = next_;
    for (std::size_t k = 0; k < at_.size(); ++k) at_[k] *= unit_[k];
    move_to(t_ + tried, at_);
    return true;
  }
  // Its steps are long and of high order: interpolates states and slopes at points within the step, computed
  // on demand.
  void state_at(double t, State& y) override {
    if (!has_inner_) make_inner();
    const double x = (t - before_) / (t_ - before_);
    std::fill(y.begin(), y.end(), 0.0);
    for (std::size_t i = 0; i < kNodes; ++i) {
      double l = 1, rise = 0;
      for (std::size_t j = 0; j < kNodes; ++j)
        if (j != i) {
          l *= (x - kNode[j]) / (kNode[i] - kNode[j]);
          rise += 1 / (kNode[i] - kNode[j]);
        }
      const double d = x - kNode[i], of_y = (1 - 2 * d * rise) * l * l, of_slope = d * l * l * (t_ - before_);
      for (std::size_t k = 0; k < y.size(); ++k)
        y[k] += unit_[k] * (of_y * node_y_[i][k] + of_slope * node_slope_[i][k]);
    }
  }

 private:
  static constexpr std::size_t kNodes = 6;
  static constexpr double kNode[kNodes] = {0, 0.12, 0.36, 0.64, 0.88, 1};

  State scaled(const State& y) const {
    auto out = y;
    for (std::size_t k = 0; k < out.size(); ++k) out[k] /= unit_[k];
    return out;
  }
  void scaled_slopes(const State& z, State& slope, double t) {
    at_ = z;
    for (std::size_t k = 0; k < at_.size(); ++k) at_[k] *= unit_[k];
    f_(at_, slope, t);
    for (std::size_t k = 0; k < slope.size(); ++k) slope[k] /= unit_[k];
  }
  std::function<void(const State&, State&, double)> system() {
    return [this](const State& z, State& slope, double t) { scaled_slopes(z, slope, t); };
  }

  // Where a component has outgrown its unit, before a step from `from`.
  void adapt_units(State& from) {
    for (std::size_t k = 0; k < unit_.size(); ++k) {
      const double unit = tolerances_.absolute(k);
      if (!(unit > 2 * unit_[k])) continue;
      from[k] *= unit_[k] / unit;
      slope_[k] *= unit_[k] / unit;
      unit_[k] = unit;
    }
  }

  void make_inner() {
    has_inner_ = true;
    odeint::bulirsch_stoer<State> inner(1.0, tolerances_.relative(0), 1.0, 0.0);
    double now = before_;
    State z = node_y_[0], slope = node_slope_[0], arrived(z.size());
    for (std::size_t i = 1; i + 1 < kNodes; ++i) {
      const double end = before_ + kNode[i] * (t_ - before_);
      while (now != end) {
        double h = end - now;
        const double tried = now;
        auto then = now;
        while (inner.try_step(system(), z, slope, then, arrived, h) == odeint::fail)
          if (std::fabs(h) < 1e-14 * std::fabs(t_ - before_)) return;
        now = std::fabs(then - end) <= 1e-15 * std::fabs(end) ? end : then;
        if (now == tried) return;
        z.swap(arrived);
        scaled_slopes(z, slope, now);
      }
      node_y_[i] = z;
      node_slope_[i] = slope;
    }
  }

  odeint::bulirsch_stoer<State> stepper_;
  State unit_, at_, slope_, next_;
  State node_y_[kNodes], node_slope_[kNodes];
  bool is_first_ = true, has_inner_ = false;
};

}  // namespace

std::unique_ptr<Stepper> make_stepper(CountedSlopes& f, const EvolveOptions& options, Tolerances tolerances,
                                      double t, State y) {
  switch (options.method) {
    case StepMethod::rk4: return std::make_unique<RungeKutta4>(f, std::move(tolerances), t, std::move(y));
    case StepMethod::dormand_prince:
      return std::make_unique<DormandPrince>(f, std::move(tolerances), t, std::move(y));
    case StepMethod::bulirsch_stoer:
      return std::make_unique<BulirschStoer>(f, std::move(tolerances), t, std::move(y));
    default: return make_implicit_stepper(f, options, std::move(tolerances), t, std::move(y));
  }
}

}  // namespace quill
