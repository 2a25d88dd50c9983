#include "numerics/special_functions.h"

#include <algorithm>
#include <boost/math/special_functions/airy.hpp>
#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/special_functions/beta.hpp>
#include <boost/math/special_functions/binomial.hpp>
#include <boost/math/special_functions/chebyshev.hpp>
#include <boost/math/special_functions/digamma.hpp>
#include <boost/math/special_functions/ellint_1.hpp>
#include <boost/math/special_functions/ellint_2.hpp>
#include <boost/math/special_functions/ellint_3.hpp>
#include <boost/math/special_functions/erf.hpp>
#include <boost/math/special_functions/expint.hpp>
#include <boost/math/special_functions/factorials.hpp>
#include <boost/math/special_functions/gamma.hpp>
#include <boost/math/special_functions/hermite.hpp>
#include <boost/math/special_functions/laguerre.hpp>
#include <boost/math/special_functions/lambert_w.hpp>
#include <boost/math/special_functions/legendre.hpp>
#include <boost/math/special_functions/zeta.hpp>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>

#include "base/boost_policy.h"
#include "base/interrupt.h"

namespace quill::special {

namespace {

constexpr double kInfinity = std::numeric_limits<double>::infinity();

bool any_nan(std::initializer_list<double> x) {
  return std::any_of(x.begin(), x.end(), [](double v) { return std::isnan(v); });
}

// Degrees and orders: the time of recurrences grows with them.
constexpr double kMostDegree = 1e6;
bool is_degree(double n) { return n >= 0 && n <= kMostDegree && std::trunc(n) == n; }
unsigned as_degree(double n) { return static_cast<unsigned>(n); }

}  // namespace

double inverse_erf(double y) {
  if (!(std::fabs(y) <= 1)) return NAN;
  return std::fabs(y) == 1 ? std::copysign(kInfinity, y)
                           : unless_given_up([&] { return boost::math::erf_inv(y, BoostPolicy()); });
}

double inverse_erfc(double y) {
  if (!(y >= 0 && y <= 2)) return NAN;
  if (y == 0) return kInfinity;
  return y == 2 ? -kInfinity : unless_given_up([&] { return boost::math::erfc_inv(y, BoostPolicy()); });
}

namespace {

// P(a, x) or Q(a, x) for large a, where the library's series do not converge: N. M. Temme's uniform expansion
// (SIAM J. Math. Anal. 10, 1979), of which two terms suffice.
double gamma_of_large(double a, double x, bool is_upper) {
  const double m = (x - a) / a;
  constexpr double far = 0.1;  // beyond, all digits are 0 or 9
  if (!(std::fabs(m) < far)) return (m > 0) == is_upper ? 0 : 1;
  // η²/2 = m - log(1 + m), without cancellation.
  double half = 0;
  for (int k = 20; k >= 2; --k) half = 1.0 / k - m * half;
  const double eta = m * std::sqrt(2 * half), z = m * std::sqrt(a * half);
  const auto polynomial = [eta](std::initializer_list<double> highest_first) {
    double sum = 0;
    for (const double c : highest_first) sum = c + eta * sum;
    return sum;
  };
  const double first = polynomial(
                   {1.0 / 25515, -139.0 / 777600, 1.0 / 2835, 1.0 / 864, -2.0 / 135, 1.0 / 12, -1.0 / 3}),
               second = polynomial({25.0 / 6048, -1.0 / 288, -1.0 / 540});
  const double rest = std::exp(-z * z) / std::sqrt(2 * std::numbers::pi * a) * (first + second / a);
  return is_upper ? std::erfc(z) / 2 + rest : std::erfc(-z) / 2 - rest;
}

}  // namespace

double gamma_lower(double a, double x) {
  if (any_nan({a, x}) || !(a > 0) || x < 0 || std::isinf(a)) return NAN;
  if (a > kLargeShape) return gamma_of_large(a, x, false);
  return std::isinf(x) ? 1 : unless_given_up([&] { return boost::math::gamma_p(a, x, BoostPolicy()); });
}

double gamma_upper(double a, double x) {
  if (any_nan({a, x}) || !(a > 0) || x < 0 || std::isinf(a)) return NAN;
  if (a > kLargeShape) return gamma_of_large(a, x, true);
  return std::isinf(x) ? 0 : unless_given_up([&] { return boost::math::gamma_q(a, x, BoostPolicy()); });
}

double beta_regularised(double a, double b, double x) {
  if (any_nan({a, b, x}) || !(a > 0 && b > 0) || std::isinf(a) || std::isinf(b) || !(x >= 0 && x <= 1))
    return NAN;
  constexpr double most = 1e15;  // where both are larger, the library's result is wrong
  if (std::min(a, b) > most) return NAN;
  return unless_given_up([&] { return boost::math::ibeta(a, b, x, BoostPolicy()); });
}

double bessel_i(double order, double x) {
  if (any_nan({order, x}) || std::isinf(order)) return NAN;
  const bool is_whole = std::trunc(order) == order;
  if (x < 0 && !is_whole) return NAN;
  if (std::isinf(x)) return x < 0 && std::fmod(order, 2) != 0 ? -kInfinity : kInfinity;
  if (std::fabs(order) > kMostDegree) {
    // Less than (x/2)^v / Γ(v + 1) exp(x²/4v), which may be less than float64 holds.
    const double v = std::fabs(order), half = std::fabs(x) / 2,
                 most = v * std::log(half) - std::lgamma(v + 1) + half * half / v;
    return (order > 0 || is_whole) && most < -750 ? 0 : NAN;
  }
  return unless_given_up([&] { return boost::math::cyl_bessel_i(order, x, BoostPolicy()); });
}

double bessel_k(double order, double x) {
  if (any_nan({order, x}) || std::isinf(order) || x < 0) return NAN;
  if (x == 0) return kInfinity;
  if (std::isinf(x)) return 0;
  const double value = std::fabs(order) > kMostDegree ? NAN : unless_given_up([&] {
    return boost::math::cyl_bessel_k(order, x, BoostPolicy());
  });
  if (!std::isnan(value)) return value;
  // Where even Γ(v)/2 (2/x)^v e^-x, which is less, is more than float64 holds.
  const double v = std::fabs(order), least = std::lgamma(v) + v * std::log(2 / x) - x - std::log(2.0);
  return v > 1 && least > 710 ? kInfinity : value;
}

double spherical_bessel_j(double n, double x) {
  if (any_nan({n, x}) || !is_degree(n)) return NAN;
  if (std::isinf(x)) return 0;
  const double sign = x < 0 && std::fmod(n, 2) != 0 ? -1 : 1;
  return sign *
         unless_given_up([&] { return boost::math::sph_bessel(as_degree(n), std::fabs(x), BoostPolicy()); });
}

double spherical_bessel_y(double n, double x) {
  if (any_nan({n, x}) || !is_degree(n) || x < 0) return NAN;
  if (x == 0) return -kInfinity;
  if (std::isinf(x)) return 0;
  return unless_given_up([&] { return boost::math::sph_neumann(as_degree(n), x, BoostPolicy()); });
}

double airy_ai(double x) {
  if (std::isnan(x)) return NAN;
  return std::isinf(x) ? 0 : unless_given_up([&] { return boost::math::airy_ai(x, BoostPolicy()); });
}

double airy_bi(double x) {
  if (std::isnan(x)) return NAN;
  if (std::isinf(x)) return x > 0 ? kInfinity : 0;
  return unless_given_up([&] { return boost::math::airy_bi(x, BoostPolicy()); });
}

double elliptic_k(double k, double angle) {
  if (any_nan({k, angle}) || std::isinf(angle)) return NAN;
  const bool is_complete = angle == std::acos(-1.0) / 2;
  if (is_complete) {
    if (std::fabs(k) >= 1) return std::fabs(k) == 1 ? kInfinity : NAN;
    return unless_given_up([&] { return boost::math::ellint_1(k, BoostPolicy()); });
  }
  const double sine = k * std::sin(angle);
  if (std::fabs(sine) >= 1 || (std::fabs(k) > 1 && std::fabs(angle) > std::acos(-1.0) / 2)) return NAN;
  return unless_given_up([&] { return boost::math::ellint_1(k, angle, BoostPolicy()); });
}

double elliptic_e(double k, double angle) {
  if (any_nan({k, angle}) || std::isinf(angle)) return NAN;
  if (angle == std::acos(-1.0) / 2)
    return std::fabs(k) > 1 ? NAN : unless_given_up([&] { return boost::math::ellint_2(k, BoostPolicy()); });
  if (std::fabs(k) == 1) {
    // The integral of |cos|: 2 for each half turn.
    const double turns = std::round(angle / std::acos(-1.0));
    return 2 * turns + std::sin(std::remainder(angle, std::acos(-1.0)));
  }
  const double sine = k * std::sin(angle);
  if (std::fabs(sine) > 1 || (std::fabs(k) > 1 && std::fabs(angle) > std::acos(-1.0) / 2)) return NAN;
  return unless_given_up([&] { return boost::math::ellint_2(k, angle, BoostPolicy()); });
}

double elliptic_pi(double n, double k, double angle) {
  if (any_nan({n, k, angle}) || std::isinf(angle) || std::isinf(n)) return NAN;
  if (angle == std::acos(-1.0) / 2) {
    if (std::fabs(k) >= 1 || n >= 1) return NAN;
    return unless_given_up([&] { return boost::math::ellint_3(k, n, BoostPolicy()); });
  }
  const double sine = std::sin(angle);
  if (std::fabs(k * sine) >= 1 || n * sine * sine >= 1 || std::fabs(k) > 1) return NAN;
  return unless_given_up([&] { return boost::math::ellint_3(k, n, angle, BoostPolicy()); });
}

double legendre(double n, double m, double x) {
  if (any_nan({n, m, x}) || !is_degree(n) || std::trunc(m) != m || std::fabs(m) > n) return NAN;
  if (m == 0) {
    // The recurrence also holds outside of [-1, 1], where the library refuses.
    long double before = 1, now = x;
    if (n == 0) return 1;
    for (unsigned k = 1; k < as_degree(n); ++k) {
      const long double next = ((2.0L * k + 1) * x * now - k * before) / (k + 1);
      before = now;
      now = next;
    }
    return static_cast<double>(now);
  }
  if (std::fabs(x) > 1) return NAN;
  return unless_given_up(
      [&] { return boost::math::legendre_p(static_cast<int>(n), static_cast<int>(m), x, BoostPolicy()); });
}

double hermite(double n, double x) {
  if (any_nan({n, x}) || !is_degree(n)) return NAN;
  return unless_given_up([&] { return boost::math::hermite(as_degree(n), x, BoostPolicy()); });
}

double laguerre(double n, double m, double x) {
  if (any_nan({n, m, x}) || !is_degree(n) || !is_degree(m)) return NAN;
  return m == 0 ? unless_given_up([&] { return boost::math::laguerre(as_degree(n), x, BoostPolicy()); })
                : unless_given_up(
                      [&] { return boost::math::laguerre(as_degree(n), as_degree(m), x, BoostPolicy()); });
}

double chebyshev_first(double n, double x) {
  if (any_nan({n, x}) || !is_degree(n)) return NAN;
  return boost::math::chebyshev_t(as_degree(n), x);
}

double chebyshev_second(double n, double x) {
  if (any_nan({n, x}) || !is_degree(n)) return NAN;
  return boost::math::chebyshev_u(as_degree(n), x);
}

double digamma(double x) {
  if (std::isnan(x) || (x <= 0 && std::trunc(x) == x)) return NAN;
  if (std::isinf(x)) return kInfinity;
  return unless_given_up([&] { return boost::math::digamma(x, BoostPolicy()); });
}

double zeta(double x) {
  if (std::isnan(x) || x == 1 || x == -kInfinity) return NAN;
  return x > 1e3 ? 1 : unless_given_up([&] { return boost::math::zeta(x, BoostPolicy()); });
}

double lambert_w(double x) {
  if (std::isnan(x) || x < -1 / std::exp(1.0)) return NAN;
  return std::isinf(x) ? x : unless_given_up([&] { return boost::math::lambert_w0(x, BoostPolicy()); });
}

double lambert_w_lower(double x) {
  if (std::isnan(x) || x < -1 / std::exp(1.0) || x > 0) return NAN;
  return x == 0 ? -kInfinity : unless_given_up([&] { return boost::math::lambert_wm1(x, BoostPolicy()); });
}

double exponential_integral(double x) {
  if (std::isnan(x)) return NAN;
  if (x == 0) return -kInfinity;
  if (std::isinf(x)) return x > 0 ? kInfinity : 0;
  return unless_given_up([&] { return boost::math::expint(x, BoostPolicy()); });
}

double exponential_integral(double n, double x) {
  if (any_nan({n, x}) || !is_degree(n) || x < 0) return NAN;
  if (x == 0 && n <= 1) return kInfinity;
  if (std::isinf(x)) return 0;
  return unless_given_up([&] { return boost::math::expint(as_degree(n), x, BoostPolicy()); });
}

double factorial(double n) {
  if (!(n >= 0) || std::trunc(n) != n) return NAN;
  return n <= 170 ? boost::math::unchecked_factorial<double>(static_cast<unsigned>(n)) : kInfinity;
}

double binomial(double n, double k) {
  if (any_nan({n, k}) || std::trunc(n) != n || std::trunc(k) != k || n < 0 || std::isinf(n)) return NAN;
  if (k < 0 || k > n) return 0;
  k = std::min(k, n - k);
  // Products of integers, exact while they fit into 64 bits of long double.
  constexpr double by_products = 200;
  if (k <= by_products) {
    long double out = 1;
    for (double j = 1; j <= k; ++j) out = out * (static_cast<long double>(n) - k + j) / j;
    const auto nearest = std::nearbyint(out);
    return static_cast<double>(out < 0x1p63L ? nearest : out);
  }
  const long double logarithm = std::lgamma(static_cast<long double>(n) + 1) -
                                std::lgamma(static_cast<long double>(k) + 1) -
                                std::lgamma(static_cast<long double>(n - k) + 1);
  return static_cast<double>(std::exp(logarithm));
}

namespace {

__extension__ using Wide = unsigned __int128;
using Word = std::uint64_t;

Word times(Word a, Word b, Word n) { return static_cast<Word>(static_cast<Wide>(a) * b % n); }

Word power(Word base, Word exponent, Word n) {
  Word out = 1;
  for (base %= n; exponent; exponent >>= 1) {
    if (exponent & 1) out = times(out, base, n);
    base = times(base, base, n);
  }
  return out;
}

constexpr Word kWitnesses[] = {2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37};

}  // namespace

bool is_prime(std::int64_t number) {
  if (number < 2) return false;
  const auto n = static_cast<Word>(number);
  for (const Word p : kWitnesses)
    if (n % p == 0) return n == p;
  Word odd = n - 1;
  int twos = 0;
  for (; odd % 2 == 0; odd /= 2) ++twos;
  // These bases suffice below 3.3e24 (J. Sorenson, J. Webster, Math. Comp. 86, 2017).
  return std::all_of(std::begin(kWitnesses), std::end(kWitnesses), [&](Word base) {
    Word x = power(base, odd, n);
    if (x == 1 || x == n - 1) return true;
    for (int k = 1; k < twos; ++k) {
      x = times(x, x, n);
      if (x == n - 1) return true;
    }
    return false;
  });
}

std::vector<double> primes_to(std::int64_t n) {
  std::vector<double> out;
  if (n < 2) return out;
  out.push_back(2);
  // Odd numbers 2k + 1 of one segment at a time, crossed out by the primes up to the root.
  const auto root = static_cast<std::int64_t>(std::sqrt(static_cast<double>(n))) + 1;
  std::vector<char> small(static_cast<std::size_t>(root) + 1, 1);
  std::vector<std::int64_t> divisors;
  for (std::int64_t p = 3; p <= root; p += 2) {
    if (!small[static_cast<std::size_t>(p)]) continue;
    divisors.push_back(p);
    for (std::int64_t m = p * p; m <= root; m += 2 * p) small[static_cast<std::size_t>(m)] = 0;
  }
  constexpr std::int64_t segment = 1 << 16;
  std::vector<char> is_left(segment);
  for (std::int64_t low = 3; low <= n; low += 2 * segment) {
    poll_interrupt();
    std::fill(is_left.begin(), is_left.end(), 1);
    const auto high = std::min(n, low + 2 * segment - 2);
    for (const auto p : divisors) {
      if (p * p > high) break;
      auto first = std::max(p * p, (low + p - 1) / p * p);
      if (first % 2 == 0) first += p;
      for (auto m = first; m <= high; m += 2 * p) is_left[static_cast<std::size_t>((m - low) / 2)] = 0;
    }
    for (auto m = low; m <= high; m += 2)
      if (is_left[static_cast<std::size_t>((m - low) / 2)]) out.push_back(static_cast<double>(m));
  }
  return out;
}

namespace {

// A divisor of the composite n other than 1 and n: cycles of x² + c modulo n.
Word divisor_of(Word n) {
  for (Word c = 1;; ++c) {
    Word slow = 2, fast = 2, d = 1;
    const auto next = [&](Word x) { return static_cast<Word>((static_cast<Wide>(x) * x + c) % n); };
    for (std::size_t steps = 0; d == 1; ++steps) {
      poll_interrupt_at(steps);
      slow = next(slow);
      fast = next(next(fast));
      d = std::gcd(slow > fast ? slow - fast : fast - slow, n);
    }
    if (d != n) return d;
  }
}

void collect_factors(Word n, std::vector<std::int64_t>& out) {
  if (n == 1) return;
  if (is_prime(static_cast<std::int64_t>(n))) {
    out.push_back(static_cast<std::int64_t>(n));
    return;
  }
  const Word d = divisor_of(n);
  collect_factors(d, out);
  collect_factors(n / d, out);
}

}  // namespace

std::vector<std::int64_t> prime_factors(std::int64_t number) {
  std::vector<std::int64_t> out;
  auto n = static_cast<Word>(number);
  for (Word p = 2; p < 1000 && p * p <= n; p += p == 2 ? 1 : 2)
    for (; n % p == 0; n /= p) out.push_back(static_cast<std::int64_t>(p));
  collect_factors(n, out);
  std::sort(out.begin(), out.end());
  return out;
}

}  // namespace quill::special
