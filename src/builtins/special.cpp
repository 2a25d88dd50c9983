// Special functions, and functions of integers.
#include <fmt/format.h>

#include <cmath>
#include <numbers>
#include <numeric>

#include "array/elementwise.h"
#include "builtins/choices.h"
#include "builtins/mapped_call.h"
#include "builtins/tables.h"
#include "numerics/special_functions.h"

namespace quill {

namespace special_calls {
namespace {

constexpr std::string_view kFamily = "special functions";
constexpr std::string_view kShape =
    "array of the broadcast shape; nan, with a warning, where undefined or not computable";
constexpr std::string_view kBoost = "Boost.Math";
constexpr double kQuarter = std::numbers::pi / 2;

using Parameters = std::vector<Parameter>;

template <auto F>
Value one(Call& c) {
  return mapped_call(c, {0}, [](const double* x) { return F(x[0]); });
}
template <auto F>
Value two(Call& c) {
  return mapped_call(c, {0, 1}, [](const double* x) { return F(x[0], x[1]); });
}
template <auto F>
Value three(Call& c) {
  return mapped_call(c, {0, 1, 2}, [](const double* x) { return F(x[0], x[1], x[2]); });
}

Builtin row(std::string_view name, std::string_view summary, Parameters parameters, std::string_view example,
            std::string_view output, Value (*run)(Call&)) {
  Builtin b{};
  b.name = name;
  b.family = kFamily;
  b.summary = summary;
  b.parameters = std::move(parameters);
  b.returns = kShape;
  b.source = kBoost;
  b.example = example;
  b.output = output;
  b.run = run;
  return b;
}

Value airy_row(Call& c) {
  if (c.one_of(1) == "bi") return one<special::airy_bi>(c);
  return one<special::airy_ai>(c);
}

Value legendre_row(Call& c) {
  if (c.given(2))
    return mapped_call(c, {0, 1, 2}, [](const double* x) { return special::legendre(x[0], x[2], x[1]); });
  return mapped_call(c, {0, 1}, [](const double* x) { return special::legendre(x[0], 0, x[1]); });
}

Value laguerre_row(Call& c) {
  if (c.given(2))
    return mapped_call(c, {0, 1, 2}, [](const double* x) { return special::laguerre(x[0], x[2], x[1]); });
  return mapped_call(c, {0, 1}, [](const double* x) { return special::laguerre(x[0], 0, x[1]); });
}

Value chebyshev_row(Call& c) {
  if (c.given(2) && c.whole(2) == 2) return two<special::chebyshev_second>(c);
  return two<special::chebyshev_first>(c);
}

Value lambert_row(Call& c) {
  if (c.given(1) && c.whole(1) == -1) return one<special::lambert_w_lower>(c);
  return one<special::lambert_w>(c);
}

Value exponential_integral_row(Call& c) {
  if (c.given(1))
    return mapped_call(c, {0, 1}, [](const double* x) { return special::exponential_integral(x[1], x[0]); });
  return mapped_call(c, {0}, [](const double* x) { return special::exponential_integral(x[0]); });
}

Value elliptic_row(Call& c, double (*f)(double, double)) {
  if (c.given(1)) return mapped_call(c, {0, 1}, [f](const double* x) { return f(x[0], x[1]); });
  return mapped_call(c, {0}, [f](const double* x) { return f(x[0], kQuarter); });
}

Value elliptic_pi_row(Call& c) {
  if (c.given(2)) return three<special::elliptic_pi>(c);
  return mapped_call(c, {0, 1}, [](const double* x) { return special::elliptic_pi(x[0], x[1], kQuarter); });
}

// The argument as int64. Error if an element is not an integer.
Array integers(const Call& call, std::size_t i) {
  const auto a = call.ordered(i);
  try {
    return a.converted(ElementType::int64).compact();
  } catch (const Error&) { call.fail_argument(i, "must be integers"); }
}

// Results of integers are integers; results of float64 numbers are float64.
Array as_given(const Call& call, std::initializer_list<std::size_t> which, Array out) {
  for (const auto i : which)
    if (!is_integer(call.ordered(i).type())) return out.converted(ElementType::float64);
  return out;
}

// Greatest common divisor or least common multiple, element by element.
Value divisors_row(Call& call, bool is_multiple) {
  const auto a = integers(call, 0), b = integers(call, 1);
  const auto shape = broadcast_shapes(a.shape(), b.shape());
  const auto stretched = [&](const Array& of) {
    return of.view(of.offset(), shape, stretched_strides(of.shape(), of.strides(), shape)).compact();
  };
  const auto left = stretched(a), right = stretched(b);
  Array out(ElementType::int64, shape);
  auto* to = out.mutable_data<std::int64_t>();
  for (Index k = 0; k < out.size(); ++k) {
    const auto x = left.data<std::int64_t>()[k], y = right.data<std::int64_t>()[k];
    constexpr auto least = std::numeric_limits<std::int64_t>::min();
    if (x == least || y == least) call.fail_argument(0, "has an integer that is too large");
    const auto divisor = std::gcd(x, y);
    to[k] = divisor;
    if (is_multiple && (x == 0 || y == 0)) to[k] = 0;
    if (is_multiple && divisor != 0 && __builtin_mul_overflow(std::abs(x) / divisor, std::abs(y), &to[k]))
      call.fail_argument(
          0, fmt::format("and `b` have a multiple of {} and {} that does not fit into int64", x, y));
  }
  return Value::array(as_given(call, {0, 1}, std::move(out)));
}

Value is_prime_row(Call& call) {
  const auto n = integers(call, 0);
  Array out(ElementType::boolean, n.shape());
  for (Index k = 0; k < n.size(); ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    out.mutable_data<bool>()[k] = special::is_prime(n.data<std::int64_t>()[k]);
  }
  return Value::array(std::move(out));
}

Value primes_row(Call& call) {
  const auto n = call.number(0);
  constexpr double most = 4294967296;
  if (!(n <= most)) call.fail_argument(0, "must be at most 2^32");
  return Value::array(Array::vector(special::primes_to(n < 2 ? 0 : static_cast<std::int64_t>(n))));
}

Value prime_factors_row(Call& call) {
  const auto n = integers(call, 0);
  if (n.size() != 1 || n.data<std::int64_t>()[0] < 1) call.fail_argument(0, "must be an integer from 1");
  const auto factors = special::prime_factors(n.data<std::int64_t>()[0]);
  return Value::array(
      as_given(call, {0}, Array::of<std::int64_t>({static_cast<Index>(factors.size())}, factors)));
}

std::vector<Builtin> rows_of_integers() {
  const Parameter a = {"a", "integers", ""}, b = {"b", "integers, broadcast with a", ""};
  std::vector<Builtin> rows = {
      row("factorial", "Factorial n!; inf above 170.", {{"n", "integers from 0", ""}},
          "factorial([0, 5, 10])", "factorial([0, 5, 10]) : float64 3\n        1      120  3628800",
          one<special::factorial>),
      row("binomial", "Binomial coefficient: the number of ways to choose k of n.",
          {{"n", "integers from 0", ""}, {"k", "integers, broadcast with n", ""}}, "binomial(5, 0..5)",
          "binomial(5, 0..5) : float64 6\n   1   5  10  10   5   1", two<special::binomial>),
      row("gcd", "Greatest common divisor.", {a, b}, "gcd(12, [8, 9])", "gcd(12, [8, 9]) : float64 2\n  4  3",
          [](Call& c) { return divisors_row(c, false); }),
      row("lcm", "Least common multiple.", {a, b}, "lcm(4, 6)", "lcm(4, 6) = 12",
          [](Call& c) { return divisors_row(c, true); }),
      row("is_prime", "Test for prime numbers.", {{"n", "integers", ""}}, "is_prime([2, 9, 97])",
          "is_prime([2, 9, 97]) : bool 3\n   true  false   true", is_prime_row),
      row("primes", "Prime numbers up to n.", {{"n", "a number up to 2^32", ""}}, "primes(20)",
          "primes(20) : float64 8\n   2   3   5   7  11  13  17  19", primes_row),
      row("prime_factors", "Prime factors of an integer, in rising order.", {{"n", "an integer from 1", ""}},
          "prime_factors(360)", "prime_factors(360) : float64 6\n  2  2  2  3  3  5", prime_factors_row),
  };
  for (auto& r : rows) {
    if (r.name == "factorial" || r.name == "binomial") continue;
    r.returns = r.name == "is_prime" ? "booleans, of the shape of n"
                : r.name == "primes" ? "a vector"
                : r.name == "gcd" || r.name == "lcm"
                    ? "array of the broadcast shape; int64 if both arguments are integer arrays"
                    : "a vector whose product is n";
    r.source = r.name == "primes"          ? "sieve of Eratosthenes, by segments"
               : r.name == "is_prime"      ? "G. L. Miller, 1976, with bases that make it exact up to 2^63"
               : r.name == "prime_factors" ? "J. M. Pollard, BIT 15, 1975"
                                           : "Euclid's algorithm";
    r.errors = r.name == "primes" ? "if n is above 2^32" : "if an argument is not an integer";
  }
  return rows;
}

}  // namespace
}  // namespace special_calls

std::vector<Builtin> special_rows() {
  using namespace special_calls;
  const Parameter x = {"x", "numbers", ""}, at = {"x", "numbers, broadcast with the others", ""};
  const Parameter order = {"order", "real order, from -10^6 to 10^6", ""},
                  degree = {"n", "degree, an integer from 0", ""};
  const Parameter whole_order = {"n", "order, an integer from 0", ""};
  const Parameter modulus = {"k", "modulus, from -1 to 1 (not its square)", ""};
  const Parameter angle = {"angle", "amplitude in radians; π/2 gives the complete integral", "pi/2"};
  std::vector<Builtin> rows = {
      row("inverse_erf", "Inverse of the error function.", {{"y", "numbers from -1 to 1", ""}},
          "inverse_erf(erf(0.5))", "inverse_erf(erf(0.5)) = 0.5", one<special::inverse_erf>),
      row("inverse_erfc", "Inverse of the complementary error function, accurate for small y.",
          {{"y", "numbers from 0 to 2", ""}}, "inverse_erfc(1e-100)", "inverse_erfc(1e-100) = 15.066",
          one<special::inverse_erfc>),
      row("gamma_lower", "Regularised lower incomplete gamma function P(a, x), from 0 to 1.",
          {{"a", "positive numbers", ""}, {"x", "numbers from 0, broadcast with a", ""}}, "gamma_lower(1, 2)",
          "gamma_lower(1, 2) = 0.86466", two<special::gamma_lower>),
      row("gamma_upper",
          "Regularised upper incomplete gamma function Q(a, x) = 1 - P(a, x), accurate for large x.",
          {{"a", "positive numbers", ""}, {"x", "numbers from 0, broadcast with a", ""}}, "gamma_upper(1, 2)",
          "gamma_upper(1, 2) = 0.13534", two<special::gamma_upper>),
      row("beta_regularised", "Regularised incomplete beta function I_x(a, b), from 0 to 1.",
          {{"a", "positive numbers", ""},
           {"b", "positive numbers, not above 10^15 if a is", ""},
           {"x", "numbers from 0 to 1", ""}},
          "beta_regularised(2, 3, 0.5)", "beta_regularised(2, 3, 0.5) = 0.6875",
          three<special::beta_regularised>),
      row("bessel_i", "Modified Bessel function of the first kind.", {order, at}, "bessel_i(0, 1)",
          "bessel_i(0, 1) = 1.2661", two<special::bessel_i>),
      row("bessel_k", "Modified Bessel function of the second kind.", {order, at}, "bessel_k(0, 1)",
          "bessel_k(0, 1) = 0.42102", two<special::bessel_k>),
      row("spherical_bessel_j", "Spherical Bessel function of the first kind.", {whole_order, at},
          "spherical_bessel_j(0, 1)", "spherical_bessel_j(0, 1) = 0.84147", two<special::spherical_bessel_j>),
      row("spherical_bessel_y", "Spherical Bessel function of the second kind.", {whole_order, at},
          "spherical_bessel_y(0, 1)", "spherical_bessel_y(0, 1) = -0.5403", two<special::spherical_bessel_y>),
      row("airy", "Airy functions Ai(x) and Bi(x), solutions of y'' = x y.",
          {x, one_of({"kind", "\"ai\" (decays for large x) or \"bi\" (grows)", "\"ai\""}, choices::kAiry)},
          "airy(1)\nairy(1, kind: \"bi\")", "airy(1) = 0.13529\nairy(1, kind: \"bi\") = 1.2074", airy_row),
      row("elliptic_k", "Elliptic integral of the first kind.", {modulus, angle}, "elliptic_k(0.5)",
          "elliptic_k(0.5) = 1.6858", [](Call& c) { return elliptic_row(c, special::elliptic_k); }),
      row("elliptic_e", "Elliptic integral of the second kind.", {modulus, angle}, "elliptic_e(0.5)",
          "elliptic_e(0.5) = 1.4675", [](Call& c) { return elliptic_row(c, special::elliptic_e); }),
      row("elliptic_pi", "Elliptic integral of the third kind.",
          {{"n", "characteristic, below 1", ""}, modulus, angle}, "elliptic_pi(0.2, 0.5)",
          "elliptic_pi(0.2, 0.5) = 1.8923", elliptic_pi_row),
      row("legendre", "Legendre polynomial, or associated Legendre function with an order.",
          {degree, at, {"order", "order m from -n to n, for |x| ≤ 1; with the factor (-1)^m", "0"}},
          "legendre(2, [0, 0.5, 1])", "legendre(2, [0, 0.5, 1]) : float64 3\n  -0.500  -0.125   1.000",
          legendre_row),
      row("hermite", "Hermite polynomial for the weight exp(-x²).", {degree, at}, "hermite(3, 1)",
          "hermite(3, 1) = -4", two<special::hermite>),
      row("laguerre", "Laguerre polynomial, or associated Laguerre polynomial with an order.",
          {degree, at, {"order", "an integer from 0", "0"}}, "laguerre(2, 1)", "laguerre(2, 1) = -0.5",
          laguerre_row),
      row("chebyshev", "Chebyshev polynomial of the first or second kind.",
          {degree, at, within(1, 2, {"kind", "1 or 2", "1"})}, "chebyshev(3, 0.5)", "chebyshev(3, 0.5) = -1",
          chebyshev_row),
      row("digamma", "Logarithmic derivative of the gamma function.", {x}, "digamma(1)",
          "digamma(1) = -0.57722", one<special::digamma>),
      row("zeta", "Riemann zeta function of a real argument.", {x}, "zeta(2)", "zeta(2) = 1.6449",
          one<special::zeta>),
      row("lambert_w", "Lambert W function, the inverse of w exp(w).",
          {{"x", "numbers from -1/e", ""}, within(-1, 0, {"branch", "0 (w ≥ -1) or -1 (w ≤ -1)", "0"})},
          "lambert_w(1)", "lambert_w(1) = 0.56714", lambert_row),
      row("exponential_integral", "Exponential integral Ei(x), or E_n(x) with an order.",
          {x, {"order", "order n of E_n(x), an integer from 0; none: Ei(x)", "none"}},
          "exponential_integral(1)", "exponential_integral(1) = 1.8951", exponential_integral_row),
  };
  for (auto& r : rows_of_integers()) rows.push_back(std::move(r));
  return rows;
}

}  // namespace quill
