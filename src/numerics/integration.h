// Integrals and derivatives of samples.
#pragma once

#include "array/array.h"

namespace quill {

enum class SampleRule : std::uint8_t { trapezoid, simpson };

// The integral of y over x along an axis (0-based) of y; x is a vector of that axis's length in rising or
// falling order. Simpson's rule for unequal spacing; with an odd number of intervals the last one takes
// the parabola through the last three points (K. V. Cartwright, J. Math. Sci. Math. Educ. 12, 2017).
Array integrate_samples(const Array& x, const Array& y, SampleRule rule, int axis);

// The running integral of samples by the trapezoid rule, 0 at the first one.
Array cumulative_integral(const Array& x, const Array& y, int axis);
// The derivative of samples at their points: parabolas through three neighbours, of second order at the ends
// too.
Array gradient(const Array& y, const Array& x, int axis);

}  // namespace quill
