// Derivatives of functions.
#pragma once

#include "numerics/estimate.h"

namespace quill {

// The derivative by differences of falling steps, extrapolated (C. J. F. Ridders, Adv. Eng. Softw. 4, 1982),
// whose scale is that of x or, when that is not good, is searched; to one side where the function ends at x.
// The error counts rounding, and the jump of the slope at a kink. Error where the function has no value at x.
Estimate derivative(const RealFunction& f, double x);

}  // namespace quill
