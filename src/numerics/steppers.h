// Single steps of the methods for differential equations.
#pragma once

#include <algorithm>
#include <cmath>
#include <limits>
#include <memory>
#include <vector>

#include "base/interrupt.h"
#include "numerics/evolve.h"

namespace quill {

using State = std::vector<double>;

// The right-hand side, with a count of its evaluations.
struct CountedSlopes {
  const Slopes& f;
  Index limit = std::numeric_limits<Index>::max();
  Index evaluations = 0;
  void operator()(const State& y, State& slope, double t) {
    poll_interrupt_at(static_cast<std::size_t>(evaluations));
    if (++evaluations > limit) fail_at_limit(t);
    f(t, y, slope);
  }
  [[noreturn]] void fail_at_limit(double t) const;
};

// Allowed errors of a step. Without absolute tolerances, a thousandth of the relative one applies to the
// largest size that a component has had so far.
class Tolerances {
 public:
  // `sizes`: typical sizes of the components at the start.
  Tolerances(const EvolveOptions& options, State sizes) : options_(options), sizes_(std::move(sizes)) {}

  // For component k when its value is y.
  double allowed(std::size_t k, double y) const { return absolute(k) + relative(k) * std::fabs(y); }
  double relative(std::size_t k) const { return options_.relative[options_.relative.size() == 1 ? 0 : k]; }
  double absolute(std::size_t k) const {
    if (!options_.absolute.empty()) return options_.absolute[options_.absolute.size() == 1 ? 0 : k];
    constexpr double part = 1e-3;
    return std::max(part * relative(k) * sizes_[k], std::numeric_limits<double>::min());
  }
  // Updates the sizes from a state that was reached.
  void reach(const State& y) {
    for (std::size_t k = 0; k < y.size(); ++k) sizes_[k] = std::max(sizes_[k], std::fabs(y[k]));
  }
  const State& sizes() const { return sizes_; }

 private:
  const EvolveOptions& options_;
  State sizes_;
};

// Holds the current time and state, and the last step.
class Stepper {
 public:
  Stepper(CountedSlopes& f, Tolerances tolerances, double t, State y)
      : f_(f), tolerances_(std::move(tolerances)), t_(t), y_(std::move(y)), before_(t), y_before_(y_) {}
  virtual ~Stepper() = default;
  Stepper(const Stepper&) = delete;
  Stepper& operator=(const Stepper&) = delete;

  // Tries a step h. On success advances and sets h to the next step; otherwise stays and sets h to a smaller
  // one.
  virtual bool advance(double& h) = 0;
  // State at a time within the last step.
  virtual void state_at(double t, State& y) = 0;
  // The same, including its ends.
  void state_in_step(double t, State& y);
  virtual bool has_fixed_steps() const { return false; }
  virtual int order() const = 0;

  double t() const { return t_; }
  double before() const { return before_; }
  const State& y() const { return y_; }

 protected:
  // Root mean square of the errors relative to the allowed ones; infinite if something is not finite.
  double error_norm(const State& error, const State& next) const;
  void move_to(double t, State& next);
  // The next step for an error norm; `exponent`: reciprocal order of the error.
  double rescaled(double h, double norm, double exponent);

  CountedSlopes& f_;
  Tolerances tolerances_;
  double t_;
  State y_;
  double before_;
  State y_before_;

 private:
  bool was_rejected_ = false;
};

std::unique_ptr<Stepper> make_stepper(CountedSlopes& f, const EvolveOptions& options, Tolerances tolerances,
                                      double t, State y);
// For methods that need the Jacobian matrix.
std::unique_ptr<Stepper> make_implicit_stepper(CountedSlopes& f, const EvolveOptions& options,
                                               Tolerances tolerances, double t, State y);

}  // namespace quill
