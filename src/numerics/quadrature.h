// Integrals of functions.
#pragma once

#include <functional>
#include <span>
#include <utility>
#include <vector>

#include "numerics/estimate.h"

namespace quill {

enum class Weight : std::uint8_t { none, sine, cosine, cauchy };

struct IntegralOptions {
  double relative = 1e-10, absolute = 0;  // allowed error: the larger one applies
  Index limit = 500000;                   // evaluations of the function
  std::vector<double> breaks;             // where it jumps, peaks or is infinite; others are ignored
  Weight weight = Weight::none;           // times sin(w x), cos(w x) or 1 / (x - w)
  double weight_at = 0;                   // w
  bool confirm = true;                    // confirms the result at other points, if the method supports it
};

struct Integral : Estimate {
  double size = 0;        // about the integral of |f|; scale of rounding errors
  bool all_zero = false;  // all values seen were 0
  bool at_limit = false;  // the limit of evaluations was reached
  bool is_confirmed = false;
  bool is_good(const IntegralOptions& options) const;  // error within the allowed one, or rounding
  // Whether the error is far above the allowed one, or only zeros were seen.
  bool needs_warning(const IntegralOptions& options) const;
};

// The integral over [a, b], whose ends may be infinite; the function may be infinite at ends and breaks, and
// at single points that are met: see adaptive_integral.h. With a weight the rules of QUADPACK (R. Piessens et
// al., 1983), from the GNU Scientific Library. x in another unit gives the same relative result. Error where
// the function is nan in more than a single point, and when the integral does not converge.
Integral integrate(const RealFunction& f, double a, double b, const IntegralOptions& options);

// The same for functions with several results.
using SeveralFunction = std::function<void(std::span<const double> x, std::span<double> out)>;
std::vector<Integral> integrate(const SeveralFunction& f, std::size_t count, double a, double b,
                                const IntegralOptions& options);

// Range of a variable, which may depend on earlier ones.
using RangeOf = std::function<std::pair<double, double>(std::span<const double> before)>;
// Integrals over two or three variables: adaptive products of Gauss–Legendre rules, whose polynomials are
// compared with the function between the nodes and finally at points of a low-discrepancy sequence. Weights
// and breaks are not supported.
std::vector<Integral> integrate(const SeveralFunction& f, std::size_t count, std::span<const RangeOf> ranges,
                                const IntegralOptions& options);

}  // namespace quill
