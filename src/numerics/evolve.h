// Ordinary differential equations from an initial state.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/number.h"

namespace quill {

// Writes dy/dt at (t, y).
using Slopes = std::function<void(double t, std::span<const double> y, std::span<double> out)>;
// Writes the Jacobian matrix of dy/dt with respect to y, row-major.
using SlopesByState = std::function<void(double t, std::span<const double> y, std::span<double> out)>;

// An event: a sign change of a function of the solution. Infinite values represent a condition.
struct StopEvent {
  std::function<double(double t, std::span<const double> y)> f;
  int direction = 0;  // 1: increasing, -1: decreasing, 0: both
  bool ends = false;  // ends the solution
};

enum class StepMethod : std::uint8_t { rk4, dormand_prince, bulirsch_stoer, rosenbrock, backward_euler };

struct EvolveOptions {
  StepMethod method = StepMethod::dormand_prince;
  std::vector<double> relative = {1e-6},
                      absolute = {};  // error of one step allowed: of all components, or each; empty: a
                                      // thousandth of the relative one, of the largest size of each so far
  double step = 0;                    // step of fixed-step methods, first step of the others; 0: automatic
  double longest = 0;        // largest step of adaptive methods; 0: the interval between requested times
  Index limit = 10'000'000;  // evaluations; exceeding it throws Error
  std::vector<StopEvent> events = {};
  SlopesByState jacobian = {};  // for implicit methods; finite differences if empty
  bool confirm = true;          // computes a second, more accurate solution to estimate errors
};

struct Trajectory {
  std::vector<double> t;
  std::vector<double> y;      // one row for each time
  std::vector<double> error;  // error of each number in y by a second solution; empty if there is none
  std::vector<double> sizes;  // of the components at the start, or of their change over the interval
  std::optional<double> uncertain_from;  // first time at which an error is more than a thousandth of the
                                         // largest size that its component had so far
  std::string unconfirmed;               // why the second solution failed, if it was requested
  Index steps = 0, rejected = 0, evaluations = 0;
  std::optional<double> stopped_at;
  struct Found {
    std::size_t event;
    double t;
    std::vector<double> y;
  };
  std::vector<Found> found;  // in order of time, including the one that ended the solution
};

// The solution of dy/dt = f(t, y) at `times`, which run one way and whose first is that of y0; or, with
// `own_steps`, at each step between the first and the last of two. Where an event ends the solution there is
// one more row. Steps of chosen length do not pass over an interval between times that are asked for unless
// `longest` says so; those of bulirsch_stoer, which is for smooth problems, do.
//   rk4             the classical method of order 4 with fixed steps (W. Kutta, 1901)
//   dormand_prince  orders 5 and 4 with dense output (J. R. Dormand, P. J. Prince, 1980)
//   bulirsch_stoer  extrapolated midpoint rule of varying order (R. Bulirsch, J. Stoer, 1966)
//   rosenbrock      for stiff systems, orders 4 and 3 (E. Hairer, G. Wanner, Solving ODEs II, 1996, RODAS)
//   backward_euler  of order 1 with fixed steps, damps everything
// With `confirm` the same is solved with a tenth of the tolerances, or half the steps, and the errors are
// estimated from the difference. The evaluations of both are counted, and the limit holds for each.
// The first three take Boost.Odeint's steps. Error where the solution is not finite, where the step falls
// to nothing, and for times that turn back.
Trajectory evolve(const Slopes& f, std::span<const double> y0, std::span<const double> times, bool own_steps,
                  const EvolveOptions& options);

std::string_view name_of(StepMethod method);

}  // namespace quill
