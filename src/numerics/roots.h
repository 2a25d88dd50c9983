// Where functions are zero.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "numerics/estimate.h"

namespace quill {

struct Root : Estimate {
  double residual = 0;   // the value of the function there
  bool is_jump = false;  // the sign changes there, but the function is not near 0
};

// Where f is zero between a and b, whose values have opposite signs (TOMS 748: G. E. Alefeld, F. A. Potra, Y.
// Shi, ACM Trans. Math. Softw. 21, 1995; Boost.Math). The function may be infinite at an end; where it is nan
// there, places nearer to the middle are tried. The error is the width of the last bracket. Error for a pole,
// through which the sign changes too.
Root find_root(const RealFunction& f, double a, double b);
// The same, looking for a bracket around x in growing steps.
Root find_root_near(const RealFunction& f, double x);

// F(x) and, when it is given, the matrix of its derivatives row by row.
using VectorFunction = std::function<void(std::span<const double> x, std::span<double> out)>;
struct SystemRoot {
  std::vector<double> at, error, residual;
  Index evaluations = 0;
};
// A root of as many functions as unknowns near a start: the hybrid method of M. J. D. Powell, 1970, in scaled
// unknowns (MINPACK's, from the GNU Scientific Library), its derivatives by central differences unless they
// are given. The error is the last step of Newton's method. Error where it does not come to a root within
// `limit` evaluations.
SystemRoot find_root(const VectorFunction& f, const VectorFunction& jacobian, std::vector<double> start,
                     Index limit);

}  // namespace quill
