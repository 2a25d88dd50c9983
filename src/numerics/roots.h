// Roots of functions.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "numerics/estimate.h"

namespace quill {

struct Root : Estimate {
  double residual = 0;   // value of the function there
  bool is_jump = false;  // sign change where the function is not near 0
};

// Root of f between a and b, whose values have opposite signs (TOMS 748: G. E. Alefeld, F. A. Potra, Y. Shi,
// ACM Trans. Math. Softw. 21, 1995; Boost.Math). The function may be infinite at an end; where it is nan,
// points nearer to the middle are tried. The error is the width of the last bracket. Throws Error for a pole.
Root find_root(const RealFunction& f, double a, double b);
// The same, after expanding a bracket around x.
Root find_root_near(const RealFunction& f, double x);

// F(x) and, if requested, its Jacobian matrix, row-major.
using VectorFunction = std::function<void(std::span<const double> x, std::span<double> out)>;
struct SystemRoot {
  std::vector<double> at, error, residual;
  Index evaluations = 0;
};
// Root of as many functions as unknowns near a start: the hybrid method of M. J. D. Powell, 1970, in scaled
// unknowns (MINPACK's, from the GNU Scientific Library); finite differences unless derivatives are given. The
// error is the last Newton step. Throws Error if it does not converge within `limit` evaluations.
SystemRoot find_root(const VectorFunction& f, const VectorFunction& jacobian, std::vector<double> start,
                     Index limit);

}  // namespace quill
