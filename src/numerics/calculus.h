// Derivatives, roots and minima of functions; integrals and derivatives of samples.
#pragma once

#include <functional>
#include <limits>
#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

using RealFunction = std::function<double(double)>;

struct Estimate {
  double value = 0;
  double error = 0;  // an estimate of its size
  Index evaluations = 0;
};

// The derivative by differences of falling steps, extrapolated (C. J. F. Ridders, Adv. Eng. Softw. 4, 1982),
// whose scale is that of x or, when that is not good, is searched; to one side where the function ends at x.
// The error counts rounding, and the jump of the slope at a kink. Error where the function has no value at x.
Estimate derivative(const RealFunction& f, double x);

// Where f is zero between a and b, whose values have opposite signs (TOMS 748: G. E. Alefeld, F. A. Potra, Y.
// Shi, ACM Trans. Math. Softw. 21, 1995; Boost.Math). The error is the width of the last bracket.
Estimate find_root(const RealFunction& f, double a, double b);
// The same, looking for a bracket around x in growing steps.
Estimate find_root_near(const RealFunction& f, double x);

struct Minimum {
  std::vector<double> at;
  double value = 0;
  Index evaluations = 0;
  bool converged = true;
};
// A minimum between a and b (R. P. Brent, 1973; Boost.Math).
Minimum minimize(const RealFunction& f, double a, double b);
// A minimum near a point of several coordinates, without derivatives (J. A. Nelder, R. Mead, Comput. J. 7,
// 1965, restarted once from where it ended).
Minimum minimize(const std::function<double(std::span<const double>)>& f, std::vector<double> start);

// The running integral of samples by the trapezoid rule, 0 at the first one.
Array cumulative_integral(const Array& x, const Array& y, int axis);
// The derivative of samples at their points: parabolas through three neighbours, of second order at the ends
// too.
Array gradient(const Array& y, const Array& x, int axis);

}  // namespace quill
