#include "array/special.h"

#include <boost/math/special_functions/airy.hpp>
#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/special_functions/beta.hpp>
#include <cmath>

#include "base/boost_policy.h"

namespace quill {

// In extended precision, since recurrences and quotients lose some hundred ulp.
double beta(double a, double b) {
  if (std::isnan(a) || std::isnan(b)) return NAN;
  if (a > 0 && b > 0) {
    if (std::isinf(a) || std::isinf(b)) return 0;
    return unless_given_up([&] { return boost::math::beta(a, b, BoostPolicy()); });
  }
  const auto is_pole = [](double x) { return x <= 0 && std::trunc(x) == x; };
  if (is_pole(a) || is_pole(b)) return NAN;
  if (is_pole(a + b)) return 0;
  // Negative arguments by the gamma function's own signs.
  const long double x = a, y = b;
  return static_cast<double>(std::tgamma(x) * (std::tgamma(y) / std::tgamma(x + y)));
}

namespace {

// J and Y of large orders by Airy functions, uniformly in x (F. W. J. Olver, 1954; Digital Library of
// Mathematical Functions, 10.20): accurate to about eleven digits from order 10^7, where recurrences and
// series lose more and integers overflow.
constexpr double kLargeOrder = 1e7;
double uniform(double order, double x, bool second) {
  const long double z = static_cast<long double>(x) / order, away = 1 - z;
  long double zeta = 0;
  if (std::fabs(away) < 1e-5L) {
    zeta = std::cbrt(2.0L) * away * (1 + 3 * away / 10);
  } else if (z < 1) {
    const long double root = std::sqrt(away * (1 + z));
    zeta = std::pow(1.5L * (std::log((1 + root) / z) - root), 2.0L / 3);
  } else {
    const long double root = std::sqrt((z - 1) * (z + 1));
    zeta = -std::pow(1.5L * (root - std::acos(1 / z)), 2.0L / 3);
  }
  const long double factor = std::fabs(away) < 1e-5L ? std::cbrt(2.0L) * (1 + away / 5)
                                                     : std::pow(4 * zeta / (away * (1 + z)), 0.25L);
  const long double root = std::cbrt(static_cast<long double>(order)), at = root * root * zeta;
  // Beyond the floating-point range of the functions.
  if (at > 1000) return second ? -INFINITY : 0;
  const long double airy =
      second ? -boost::math::airy_bi(at, BoostPolicy()) : boost::math::airy_ai(at, BoostPolicy());
  return static_cast<double>(factor * airy / root);
}

}  // namespace

double bessel_j(double order, double x) {
  if (std::isnan(order) || std::isnan(x) || std::isinf(order)) return NAN;
  if (std::isinf(x)) return x > 0 || std::trunc(order) == order ? 0 : NAN;
  if (std::fabs(order) >= kLargeOrder) {
    // Integers, even above 2^53: J of a negative order and of a negative x have signs of their own.
    const bool is_whole = std::trunc(order) == order, is_odd = std::fmod(order, 2) != 0;
    if (!is_whole && (order < 0 || x < 0)) return NAN;
    const double value = x == 0 ? 0 : uniform(std::fabs(order), std::fabs(x), false);
    return is_odd && (order < 0) != (x < 0) ? -value : value;
  }
  return unless_given_up([&] { return boost::math::cyl_bessel_j(order, x, BoostPolicy()); });
}

double bessel_y(double order, double x) {
  if (std::isnan(order) || std::isnan(x) || std::isinf(order) || x < 0) return NAN;
  if (x == 0) return -INFINITY;
  if (std::isinf(x)) return 0;
  if (order >= kLargeOrder) return uniform(order, x, true);
  const double value = std::fabs(order) >= kLargeOrder ? NAN : unless_given_up([&] {
    return boost::math::cyl_neumann(order, x, BoostPolicy());
  });
  if (!std::isnan(value) || std::fabs(order) >= kLargeOrder) return value;
  // Too large for a number: the sign of Y far below its order.
  const double turn = order < 0 ? std::cos(std::fmod(order, 2) * 3.141592653589793) : 1;
  return x < std::fabs(order) && turn != 0 ? std::copysign(INFINITY, -turn) : NAN;
}

}  // namespace quill
