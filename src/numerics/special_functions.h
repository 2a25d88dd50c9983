// Special functions of real arguments, by Boost.Math. All give nan outside their domain and for nan.
#pragma once

#include <cstdint>
#include <vector>

#include "array/array.h"

namespace quill::special {

double inverse_erf(double y);
double inverse_erfc(double y);
// Regularised incomplete gamma functions P(a, x) and Q(a, x) = 1 - P(a, x) for a > 0, x ≥ 0. Asymptotic
// expansion above kLargeShape.
inline constexpr double kLargeShape = 1e6;
double gamma_lower(double a, double x);
double gamma_upper(double a, double x);
// Regularised incomplete beta function I_x(a, b); nan if both parameters exceed 10^15.
double beta_regularised(double a, double b, double x);
// Modified Bessel functions of real order, up to 10^6 where the result is neither 0 nor infinite.
double bessel_i(double order, double x);
double bessel_k(double order, double x);
// Spherical Bessel functions of whole order n ≥ 0, for x ≥ 0.
double spherical_bessel_j(double n, double x);
double spherical_bessel_y(double n, double x);
double airy_ai(double x);
double airy_bi(double x);
// Complete and incomplete elliptic integrals of the modulus k: of the first kind, the second, the third.
double elliptic_k(double k, double angle);
double elliptic_e(double k, double angle);
double elliptic_pi(double n, double k, double angle);
// Polynomials of degree n, an integer from 0.
double legendre(double n, double m, double x);  // with the order m; P_n for m = 0
double hermite(double n, double x);
double laguerre(double n, double m, double x);  // with the order m
double chebyshev_first(double n, double x);
double chebyshev_second(double n, double x);
double digamma(double x);
double zeta(double x);
// The inverse of w exp(w): the branch with w ≥ -1, and the one with w ≤ -1.
double lambert_w(double x);
double lambert_w_lower(double x);
// Ei(x), and the generalised integral E_n(x).
double exponential_integral(double x);
double exponential_integral(double n, double x);
// n! and binomial coefficients of integers n ≥ 0: exact up to 2^53, infinite beyond float64.
double factorial(double n);
double binomial(double n, double k);

// Primality test, deterministic for all n below 2^63 (G. L. Miller, 1976; M. O. Rabin, 1980).
bool is_prime(std::int64_t n);
// Primes up to n in ascending order. n at most 2^32.
std::vector<double> primes_to(std::int64_t n);
// Prime factors of n ≥ 1 in ascending order, with multiplicity (J. M. Pollard, 1975).
std::vector<std::int64_t> prime_factors(std::int64_t n);

}  // namespace quill::special
