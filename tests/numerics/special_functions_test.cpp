// Special functions against published values and identities.
#include "numerics/special_functions.h"

#include <boost/math/special_functions/gamma.hpp>
#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "numerics/helpers.h"

using namespace quill;
using namespace quill::special;

namespace {
constexpr double kPi = std::numbers::pi;
Approx near(double x) { return Approx(x).epsilon(1e-13); }
}  // namespace

TEST_CASE("special functions have the values of the tables") {
  // M. Abramowitz, I. A. Stegun, Handbook of Mathematical Functions, 1964.
  CHECK(bessel_i(0, 1) == near(1.2660658777520084));
  CHECK(bessel_k(1, 2) == near(0.13986588181652243));
  CHECK(airy_ai(0) == near(0.35502805388781724));
  CHECK(airy_bi(1) == near(1.2074235949528713));
  CHECK(digamma(1) == near(-std::numbers::egamma));
  CHECK(zeta(2) == near(kPi * kPi / 6));
  CHECK(zeta(-1) == near(-1.0 / 12));
  CHECK(exponential_integral(1) == near(1.8951178163559368));
  CHECK(exponential_integral(1, 1) == near(0.21938393439552029));
  CHECK(elliptic_k(0, kPi / 2) == near(kPi / 2));
  CHECK(elliptic_k(std::sqrt(0.5), kPi / 2) == near(1.8540746773013719));
  CHECK(elliptic_e(std::sqrt(0.5), kPi / 2) == near(1.3506438810476755));
  CHECK(elliptic_pi(0, 0.5, kPi / 2) == near(elliptic_k(0.5, kPi / 2)));
  CHECK(lambert_w(1) == near(0.56714329040978387));
  CHECK(lambert_w_lower(-0.1) == near(-3.5771520639572972));
  CHECK(spherical_bessel_j(1, 2) == near(std::sin(2) / 4 - std::cos(2) / 2));
  CHECK(spherical_bessel_y(0, 2) == near(-std::cos(2) / 2));
  CHECK(gamma_upper(0.5, 4) == near(std::erfc(2)));
  CHECK(beta_regularised(2, 3, 0.5) == near(0.6875));
}

TEST_CASE("special functions satisfy their identities over wide ranges") {
  std::mt19937_64 random(3);
  std::uniform_real_distribution<double> unit(0, 1);
  for (int k = 0; k < 500; ++k) {
    const double x = std::pow(10, 4 * unit(random) - 2), a = std::pow(10, 3 * unit(random) - 1);
    CAPTURE(x, a);
    CHECK(gamma_lower(a, x) + gamma_upper(a, x) == near(1));
    const double y = 2 * unit(random) - 1, small = std::pow(10, -300 * unit(random));
    CHECK(std::erf(inverse_erf(y)) == Approx(y).epsilon(1e-13));
    CHECK(std::log(std::erfc(inverse_erfc(small))) == Approx(std::log(small)).epsilon(1e-13));
    CHECK(lambert_w(x) * std::exp(lambert_w(x)) == Approx(x).epsilon(1e-13));
    CHECK(digamma(x + 1) == Approx(digamma(x) + 1 / x).epsilon(1e-12).margin(1e-13));
    const double b = std::pow(10, 2 * unit(random) - 1), p = unit(random);
    CHECK(beta_regularised(a, b, p) + beta_regularised(b, a, 1 - p) == Approx(1).epsilon(1e-11));
    if (x < 300 && a < 50) {
      // The Wronskian I_v K_{v+1} + I_{v+1} K_v = 1/x.
      CHECK(bessel_i(a, x) * bessel_k(a + 1, x) + bessel_i(a + 1, x) * bessel_k(a, x) ==
            Approx(1 / x).epsilon(1e-12));
    }
    // Legendre's relation of complete integrals.
    const double m = unit(random), n = std::sqrt(1 - m * m);
    if (m > 1e-3 && n > 1e-3) {
      const double kk = elliptic_k(m, kPi / 2), ee = elliptic_e(m, kPi / 2), kn = elliptic_k(n, kPi / 2),
                   en = elliptic_e(n, kPi / 2);
      CHECK(ee * kn + en * kk - kk * kn == Approx(kPi / 2).epsilon(1e-12));
    }
  }
}

TEST_CASE("polynomials are orthogonal ones with their recurrences") {
  for (double x = -1; x <= 1; x += 0.125) {
    CHECK(chebyshev_first(7, x) == Approx(std::cos(7 * std::acos(x))).margin(1e-14));
    CHECK(legendre(3, 0, x) == Approx((5 * x * x * x - 3 * x) / 2).margin(1e-15));
    CHECK(legendre(2, 2, x) == Approx(3 * (1 - x * x)).margin(1e-14));
    CHECK(hermite(4, x) == Approx(16 * x * x * x * x - 48 * x * x + 12).epsilon(1e-14));
    CHECK(laguerre(2, 0, x) == Approx((x * x - 4 * x + 2) / 2).epsilon(1e-14));
    CHECK(laguerre(1, 2, x) == Approx(3 - x).epsilon(1e-14));
    if (std::fabs(x) < 1)
      CHECK(chebyshev_second(5, x) ==
            Approx(std::sin(6 * std::acos(x)) / std::sin(std::acos(x))).margin(1e-13));
  }
  CHECK(legendre(2, 0, 3) == 13);
  CHECK(chebyshev_first(2, 10) == 199);
}

TEST_CASE("outside of their domain special functions are nan, at poles infinite") {
  for (const double x : {inverse_erf(1.5),
                         gamma_lower(-1, 2),
                         gamma_lower(2, -1),
                         bessel_i(0.5, -1),
                         bessel_k(0, -1),
                         digamma(-3),
                         lambert_w(-1),
                         lambert_w_lower(0.1),
                         elliptic_k(1.5, kPi / 2),
                         hermite(1.5, 1),
                         hermite(-1, 1),
                         zeta(1),
                         legendre(2, 3, 0.5),
                         legendre(2, 1, 1.5),
                         factorial(-1),
                         factorial(2.5),
                         binomial(-1, 1),
                         airy_ai(NAN),
                         beta_regularised(1, 1, 2),
                         exponential_integral(1.5, 1)})
    CHECK(std::isnan(x));
  CHECK(inverse_erf(1) == INFINITY);
  CHECK(bessel_k(0, 0) == INFINITY);
  CHECK(exponential_integral(0) == -INFINITY);
  CHECK(elliptic_k(1, kPi / 2) == INFINITY);
  CHECK(factorial(171) == INFINITY);
  CHECK(bessel_i(1, -INFINITY) == -INFINITY);
  CHECK(bessel_k(1e5, 1) == INFINITY);
  CHECK(elliptic_e(1, 4 * kPi + 0.5) == near(8 + std::sin(0.5)));
}

TEST_CASE("combinations and primes are exact") {
  CHECK(factorial(18) == 6402373705728000);
  CHECK(binomial(52, 5) == 2598960);
  CHECK(binomial(62, 31) == 465428353255261088);
  CHECK(binomial(3, 5) == 0);
  CHECK(binomial(1000, 500) == Approx(2.702882409454366e299).epsilon(1e-12));
  const auto primes = primes_to(1000000);
  CHECK(primes.size() == 78498);
  CHECK(primes.back() == 999983);
  std::size_t at = 0;
  for (std::int64_t n = 0; n < 20000; ++n) {
    const bool is = primes[at] == static_cast<double>(n);
    REQUIRE(is_prime(n) == is);
    at += is;
  }
  CHECK(is_prime(2305843009213693951));
  CHECK_FALSE(is_prime(3215031751));           // a strong pseudoprime to the bases 2, 3, 5 and 7
  CHECK_FALSE(is_prime(3825123056546413051));  // to the primes up to 23
  std::mt19937_64 random(8);
  for (int k = 0; k < 200; ++k) {
    const auto n = static_cast<std::int64_t>(random() >> (1 + random() % 40)) + 1;
    std::int64_t product = 1;
    for (const auto p : prime_factors(n)) {
      CHECK(is_prime(p));
      product *= p;
    }
    CHECK(product == n);
  }
}

TEST_CASE(
    "incomplete gamma functions of large shapes are those of the library's series, and of the normal limit") {
  for (const double a : {2e6, 1.5e8})
    for (double z = -36; z <= 36; z += 0.75) {
      const double x = a + z * std::sqrt(a);
      CAPTURE(a, z);
      // The library loses digits in the tails.
      const double tolerance = 1e-14 + 1e-19 * a * std::fabs(z);
      const auto differs = [&](double got, double wanted) { return std::fabs(got / wanted - 1) > tolerance; };
      CHECK(!differs(special::gamma_lower(a, x), boost::math::gamma_p(a, x)));
      CHECK(!differs(special::gamma_upper(a, x), boost::math::gamma_q(a, x)));
    }
  for (double a = 1e9; a < 1e25; a *= 10) {
    CAPTURE(a);
    CHECK(special::gamma_lower(a, a) == Approx(0.5 + 1 / (3 * std::sqrt(2 * M_PI * a))).epsilon(1e-14));
    // P(a, a + z√a) = Φ(z) - φ(z) (z² - 1) / (3√a) + O(1/a) .
    for (const double z : {-2.0, 0.5, 3.0}) {
      const double x = a + z * std::sqrt(a), at = (x - a) / std::sqrt(a);
      const double limit = std::erfc(-at / std::sqrt(2.0)) / 2 -
                           std::exp(-at * at / 2) / std::sqrt(2 * M_PI) * (at * at - 1) / (3 * std::sqrt(a));
      CHECK(special::gamma_lower(a, x) == Approx(limit).epsilon(1e-14).margin(2 / a));
    }
    CHECK(special::gamma_lower(a, a / 2) == 0);
    CHECK(special::gamma_upper(a, 2 * a) == 0);
  }
}

TEST_CASE("orders that would take recurrences without end are answered at once") {
  CHECK(std::isinf(special::bessel_k(2e9, 3.5)));
  CHECK(special::bessel_i(2e9, 3.5) == 0);
  CHECK(std::isnan(special::bessel_k(2e9, 2e9)));
  CHECK(std::isnan(special::bessel_i(2e9 + 0.5, 2e9)));
}
