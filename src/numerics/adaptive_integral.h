// Integral of a function of one variable without a weight: adaptive, with confirmation of the result at other
// points.
#pragma once

#include "numerics/quadrature.h"

namespace quill {

// The integral over [a, b], a < b; ends may be infinite. Bisection of the worst interval with the
// Gauss–Kronrod rule of 21 points (R. Piessens et al., QUADPACK, 1983). The error of an interval is the
// larger one of the rule's own estimate and of its width times the largest difference, at points that are not
// nodes of the rule, between the function and the polynomial that the rule integrates. Towards singular and
// infinite ends the variable is changed to the logarithm of the distance, where powers become exponentials;
// how the contributions fall there decides about convergence, and gives what is left where numbers end. Jumps
// are located by bisection of the function. When the tolerance is met, the function is compared with the
// interpolant at some hundred points of a low-discrepancy sequence; intervals that do not stand this are
// divided further. Error when the integral does not converge, or the function is not finite in more than
// single points.
Integral adaptive_integral(const RealFunction& f, double a, double b, const IntegralOptions& options);

}  // namespace quill
