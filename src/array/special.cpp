#include "array/special.h"

#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/special_functions/beta.hpp>
#include <cmath>

namespace quill {

namespace {

namespace bmp = boost::math::policies;
// Errors come back as nan and infinities instead of exceptions; double arithmetic throughout.
using Policy = bmp::policy<bmp::domain_error<bmp::ignore_error>, bmp::pole_error<bmp::ignore_error>,
                           bmp::overflow_error<bmp::ignore_error>, bmp::underflow_error<bmp::ignore_error>,
                           bmp::evaluation_error<bmp::ignore_error>, bmp::rounding_error<bmp::ignore_error>,
                           bmp::promote_double<false>>;

}  // namespace

double beta(double a, double b) {
  if (std::isnan(a) || std::isnan(b)) return NAN;
  if (a > 0 && b > 0) {
    if (std::isinf(a) || std::isinf(b)) return 0;
    return boost::math::beta(a, b, Policy());
  }
  const auto is_pole = [](double x) { return x <= 0 && std::trunc(x) == x; };
  if (is_pole(a) || is_pole(b)) return NAN;
  if (is_pole(a + b)) return 0;
  // Negative arguments by the gamma function's own signs.
  return std::tgamma(a) * std::tgamma(b) / std::tgamma(a + b);
}

double bessel_j(double order, double x) {
  if (std::isnan(order) || std::isnan(x) || std::isinf(order)) return NAN;
  if (std::isinf(x)) return x > 0 || std::trunc(order) == order ? 0 : NAN;
  return boost::math::cyl_bessel_j(order, x, Policy());
}

double bessel_y(double order, double x) {
  if (std::isnan(order) || std::isnan(x) || std::isinf(order) || x < 0) return NAN;
  if (x == 0) return -INFINITY;
  if (std::isinf(x)) return 0;
  return boost::math::cyl_neumann(order, x, Policy());
}

}  // namespace quill
