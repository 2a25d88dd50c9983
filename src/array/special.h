// Special functions of two real arguments.
#pragma once

namespace quill {

// The beta function Γ(a)Γ(b)/Γ(a+b); nan at its poles.
double beta(double a, double b);
// Bessel functions of the first and second kind of real order; nan for negative x where they are not real (J
// of integer order is real there, Y nowhere). Boost.Math.
double bessel_j(double order, double x);
double bessel_y(double order, double x);

}  // namespace quill
