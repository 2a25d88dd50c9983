// Functions of real numbers, for single numbers. The vector kernels (fusion/kernels.h) give the same bits.
#pragma once

#include <cmath>
#include <limits>

namespace quill::mathematics {

// The functions that come from SLEEF, in its forms whose bits do not depend on the width of vectors (N.
// Shibata, F. Petrogalli, IEEE Trans. Parallel Distrib. Syst. 31, 2020): within 1 unit of the last place
// everywhere. A row has the name here, there, its bound there, where the C library takes over for x, since
// SLEEF's overflows too early there or has too few digits, and what the C library has.
#define QUILL_VECTOR_FUNCTIONS(ROW)                           \
  ROW(exp, exp, u10, std::fabs(x) > 700, std::exp(x))         \
  ROW(expm1, expm1, u10, std::fabs(x) > 700, std::expm1(x))   \
  ROW(log, log, u10, false, std::log(x))                      \
  ROW(log2, log2, u10, false, std::log2(x))                   \
  ROW(log10, log10, u10, false, std::log10(x))                \
  ROW(log1p, log1p, u10, std::fabs(x) > 1e300, std::log1p(x)) \
  ROW(sin, sin, u10, false, std::sin(x))                      \
  ROW(cos, cos, u10, false, std::cos(x))                      \
  ROW(tan, tan, u10, false, std::tan(x))                      \
  ROW(asin, asin, u10, false, std::asin(x))                   \
  ROW(acos, acos, u10, false, std::acos(x))                   \
  ROW(atan, atan, u10, false, std::atan(x))                   \
  ROW(sinh, sinh, u10, std::fabs(x) > 700, std::sinh(x))      \
  ROW(cosh, cosh, u10, std::fabs(x) > 700, std::cosh(x))      \
  ROW(tanh, tanh, u10, false, std::tanh(x))                   \
  ROW(asinh, asinh, u10, std::fabs(x) > 1e150, std::asinh(x)) \
  ROW(acosh, acosh, u10, std::fabs(x) > 1e150, std::acosh(x)) \
  ROW(atanh, atanh, u10, false, std::atanh(x))                \
  ROW(cbrt, cbrt, u10, false, std::cbrt(x))                   \
  ROW(erf, erf, u10, false, std::erf(x))                      \
  ROW(erfc, erfc, u15, false, std::erfc(x))                   \
  ROW(gamma, tgamma, u10, x == 0, gamma_of_library(x))        \
  ROW(log_gamma, lgamma, u10, x < 0, log_gamma_of_library(x))

#define QUILL_ROW(name, sleef, bound, beyond, library) double name(double x);
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW

// x^y. The square is a product; other whole powers up to kMostWhole are products in twice the digits, rounded
// once, so that those which can be written down are exact; of positive numbers the power 1/2 is the square
// root; all others are SLEEF's.
double power(double x, double y);
inline constexpr double kMostWhole = 1024;
// Beyond these magnitudes of the result products in twice the digits lose some.
inline constexpr double kLeastProduct = 0x1p-960, kMostProduct = 0x1p960;
inline bool is_small_whole(double y) { return std::fabs(y) <= kMostWhole && std::trunc(y) == y && y != 0; }
// Whether the power is not SLEEF's.
inline bool is_own_power(double y) { return is_small_whole(y) || y == 0.5; }

// On processors without fused multiply-add (before 2013) the C library computes these functions, whose last
// bits may then differ from those of other processors.

}  // namespace quill::mathematics
