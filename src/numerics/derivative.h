// Derivatives of functions.
#pragma once

#include "numerics/estimate.h"

namespace quill {

// The derivative from polynomials through seven points, by two families of unsymmetric steps of no common
// measure. The steps grow from some hundred units in the last place of x, as long as the slopes agree; the
// error is the difference between the families, and rounding. To one side where the function ends at x. Error
// where the function has no value at x, or its slope grows without bound.
Estimate derivative(const RealFunction& f, double x);

}  // namespace quill
