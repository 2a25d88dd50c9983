// Functions of single real numbers. The vector kernels (fusion/kernels.h) give the same bits.
#pragma once

#include <cmath>
#include <limits>

namespace quill::mathematics {

// Functions taken from SLEEF, in its variants whose bits do not depend on vector width (N. Shibata, F.
// Petrogalli, IEEE Trans. Parallel Distrib. Syst. 31, 2020): error at most 1 ulp. Columns: our name, SLEEF's
// name, its error bound, the condition on x under which the C library is used instead, since SLEEF overflows
// too early or is inaccurate there, and the C library's function.
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

// x^y. Squares are products; other integer powers up to kMostWhole are products in double-double arithmetic,
// rounded once, so representable results are exact; the power 1/2 of a positive number is its square root;
// all others use SLEEF.
double power(double x, double y);
inline constexpr double kMostWhole = 1024;
// Outside of these magnitudes, double-double products lose accuracy.
inline constexpr double kLeastProduct = 0x1p-960, kMostProduct = 0x1p960;
inline bool is_small_whole(double y) { return std::fabs(y) <= kMostWhole && std::trunc(y) == y && y != 0; }
// Whether the power is computed here instead of by SLEEF.
inline bool is_own_power(double y) { return is_small_whole(y) || y == 0.5; }

// On processors without fused multiply-add (before 2013) the C library computes these functions; last bits
// may differ from other processors.

}  // namespace quill::mathematics
