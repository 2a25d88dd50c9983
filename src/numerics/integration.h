// Integrals and derivatives of samples.
#pragma once

#include "array/array.h"

namespace quill {

enum class SampleRule : std::uint8_t { trapezoid, simpson };

// Integral of y over x along an axis (0-based) of y; x is a monotonic vector of that axis's length. Simpson's
// rule for unequal spacing; with an odd number of intervals the last one uses the parabola through the last
// three points (K. V. Cartwright, J. Math. Sci. Math. Educ. 12, 2017).
Array integrate_samples(const Array& x, const Array& y, SampleRule rule, int axis);

// Cumulative integral by the trapezoid rule, 0 at the first sample.
Array cumulative_integral(const Array& x, const Array& y, int axis);
// Derivative of samples at their points, by parabolas through three neighbours; second order at the ends too.
Array gradient(const Array& y, const Array& x, int axis);

}  // namespace quill
