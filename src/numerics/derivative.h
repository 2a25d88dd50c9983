// Derivatives of functions.
#pragma once

#include "numerics/estimate.h"

namespace quill {

// Derivative from polynomials through seven points, by two families of unsymmetric steps without common
// measure. Steps grow from some hundred ulp of x while the slopes agree; the error is the difference of the
// families, plus rounding. One-sided where the function ends at x. Throws Error if the function has no value
// at x, or its slope grows without bound.
Estimate derivative(const RealFunction& f, double x);

}  // namespace quill
