// Error estimates for solutions of differential equations.
#pragma once

#include "numerics/evolve.h"

namespace quill {

// Sets error, uncertain_from and unconfirmed of a solution that evolve computed for the same arguments, and
// adds the evaluations of the second solution.
void estimate_errors(Trajectory& run, const Slopes& f, std::span<const double> y0,
                     std::span<const double> times, bool own_steps, const EvolveOptions& options);

}  // namespace quill
