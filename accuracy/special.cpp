// Special functions and distributions beside references of 50 digits.
#include <fmt/format.h>

#include <boost/math/special_functions/airy.hpp>
#include <boost/math/special_functions/bessel.hpp>
#include <boost/math/special_functions/beta.hpp>
#include <boost/math/special_functions/digamma.hpp>
#include <boost/math/special_functions/ellint_1.hpp>
#include <boost/math/special_functions/ellint_2.hpp>
#include <boost/math/special_functions/ellint_3.hpp>
#include <boost/math/special_functions/erf.hpp>
#include <boost/math/special_functions/expint.hpp>
#include <boost/math/special_functions/gamma.hpp>
#include <boost/math/special_functions/hermite.hpp>
#include <boost/math/special_functions/laguerre.hpp>
#include <boost/math/special_functions/lambert_w.hpp>
#include <boost/math/special_functions/legendre.hpp>
#include <boost/math/special_functions/zeta.hpp>
#include <boost/multiprecision/cpp_bin_float.hpp>
#include <cmath>
#include <functional>

#include "accuracy/report.h"
#include "numerics/distributions.h"
#include "numerics/special_functions.h"

namespace accuracy {

namespace {

namespace bm = boost::math;
using Exact = boost::multiprecision::cpp_bin_float_50;
using quill::Distribution;
using quill::DistributionKind;

// A function of x, or of p and x.
struct Special {
  std::string name;
  std::function<double(double, double)> of;
  std::function<Exact(const Exact&, const Exact&)> exact;
  Range p, x;  // a range from 0 to 0 is not used
  bool is_whole = false;
  // About how large the function is between its zeros, where it has any.
  std::function<double(double, double)> size{};
};

constexpr Range kNone{0, 0, false, false};
constexpr double kRightAngle = 1.5707963267948966;

Special of_one(std::string name, double (*of)(double), std::function<Exact(const Exact&)> exact, Range x,
               std::function<double(double, double)> size = {}) {
  return {std::move(name),
          [of](double, double v) { return of(v); },
          [exact](const Exact&, const Exact& v) { return exact(v); },
          kNone,
          x,
          false,
          std::move(size)};
}

unsigned degree(const Exact& n) { return static_cast<unsigned>(n); }

// Between a spherical Bessel function and the one of half an order more.
Exact spherical(const Exact& x) { return sqrt(boost::math::constants::half_pi<Exact>() / x); }

std::vector<Special> functions_of_one() {
  using namespace quill::special;
  return {
      of_one("inverse_erf", inverse_erf, [](const Exact& y) -> Exact { return bm::erf_inv(y); },
             {1e-290, 1, true, true}),
      of_one("inverse_erfc", inverse_erfc, [](const Exact& y) -> Exact { return bm::erfc_inv(y); },
             {1e-290, 0.9, true, false}),
      of_one("digamma", digamma, [](const Exact& x) -> Exact { return bm::digamma(x); },
             {1.5, 1e6, true, false}),
      of_one("zeta", zeta, [](const Exact& s) -> Exact { return bm::zeta(s); }, {1.01, 40, true, false}),
      of_one("lambert_w", lambert_w, [](const Exact& x) -> Exact { return bm::lambert_w0(x); },
             {1e-6, 1e6, true, false}),
      of_one(
          "lambert_w, lower branch", [](double x) { return lambert_w_lower(-x); },
          [](const Exact& x) -> Exact { return bm::lambert_wm1(Exact(-x)); }, {1e-100, 0.36, true, false}),
      of_one(
          "exponential_integral", [](double x) { return exponential_integral(x); },
          [](const Exact& x) -> Exact { return bm::expint(x); }, {0.5, 300, true, false}),
      of_one("airy, x > 0", airy_ai, [](const Exact& x) -> Exact { return bm::airy_ai(x); },
             {1e-3, 50, true, false}),
      of_one(
          "airy, x < 0", [](double x) { return airy_ai(-x); },
          [](const Exact& x) -> Exact { return bm::airy_ai(Exact(-x)); }, {1e-3, 50, true, false},
          [](double, double x) { return std::fmin(0.4, 0.56 / std::pow(x, 0.25)); }),
      of_one("airy of kind bi", airy_bi, [](const Exact& x) -> Exact { return bm::airy_bi(x); },
             {1e-3, 50, true, false}),
  };
}

std::vector<Special> functions_of_two_numbers() {
  using namespace quill::special;
  const Range positive{0.05, 100, true, false}, modulus{-0.999, 0.999, false, false},
      degrees{0, 40, false, false}, far{0.01, 200, true, false};
  const auto polynomial_size = [](double, double) { return 1.0; };
  return {
      {"gamma_lower",
       gamma_lower,
       [](const Exact& a, const Exact& x) -> Exact { return bm::gamma_p(a, x); },
       positive,
       {0.01, 300, true, false}},
      {"gamma_upper",
       gamma_upper,
       [](const Exact& a, const Exact& x) -> Exact { return bm::gamma_q(a, x); },
       positive,
       {0.01, 300, true, false}},
      {"beta_regularised (a, x; b = 3.5)",
       [](double a, double x) { return beta_regularised(a, 3.5, x); },
       [](const Exact& a, const Exact& x) -> Exact { return bm::ibeta(a, Exact(3.5), x); },
       positive,
       {0.001, 0.999, false, false}},
      {"bessel_i",
       bessel_i,
       [](const Exact& v, const Exact& x) -> Exact { return bm::cyl_bessel_i(v, x); },
       {0, 50, false, false},
       {0.01, 500, true, false}},
      {"bessel_k",
       bessel_k,
       [](const Exact& v, const Exact& x) -> Exact { return bm::cyl_bessel_k(v, x); },
       {0, 50, false, false},
       {0.01, 500, true, false}},
      {"spherical_bessel_j", spherical_bessel_j,
       [](const Exact& n, const Exact& x) -> Exact {
         return spherical(x) * bm::cyl_bessel_j(n + Exact(0.5), x);
       },
       degrees, far, true, [](double n, double x) { return x > n ? 0.7 / x : 0; }},
      {"spherical_bessel_y", spherical_bessel_y,
       [](const Exact& n, const Exact& x) -> Exact {
         return spherical(x) * bm::cyl_neumann(n + Exact(0.5), x);
       },
       degrees, far, true, [](double n, double x) { return x > n ? 0.7 / x : 0; }},
      {"elliptic_k", [](double k, double) { return elliptic_k(k, kRightAngle); },
       [](const Exact& k, const Exact&) -> Exact { return bm::ellint_1(k); }, modulus, kNone},
      {"elliptic_k (k, angle)",
       elliptic_k,
       [](const Exact& k, const Exact& a) -> Exact { return bm::ellint_1(k, a); },
       modulus,
       {0.01, 1.5, false, false}},
      {"elliptic_e", [](double k, double) { return elliptic_e(k, kRightAngle); },
       [](const Exact& k, const Exact&) -> Exact { return bm::ellint_2(k); }, modulus, kNone},
      {"elliptic_pi (n, k)",
       [](double n, double k) { return elliptic_pi(n, k, kRightAngle); },
       [](const Exact& n, const Exact& k) -> Exact { return bm::ellint_3(k, n); },
       {-5, 0.99, false, false},
       modulus},
      {"legendre",
       [](double n, double x) { return legendre(n, 0, x); },
       [](const Exact& n, const Exact& x) -> Exact { return bm::legendre_p(static_cast<int>(n), x); },
       degrees,
       {-1, 1, false, false},
       true,
       [](double n, double x) {
         return n < 1 ? 1 : std::fmin(1, std::sqrt(0.64 / (n * std::sqrt(1 - x * x))));
       }},
      {"hermite, beyond the zeros",
       hermite,
       [](const Exact& n, const Exact& x) -> Exact { return bm::hermite(degree(n), x); },
       degrees,
       {9.5, 100, true, true},
       true},
      {"laguerre, x < 0",
       [](double n, double x) { return laguerre(n, 0, -x); },
       [](const Exact& n, const Exact& x) -> Exact { return bm::laguerre(degree(n), Exact(-x)); },
       degrees,
       {0.01, 100, true, false},
       true},
      {"chebyshev",
       chebyshev_first,
       [](const Exact& n, const Exact& x) -> Exact { return cos(Exact(n * acos(x))); },
       degrees,
       {-1, 1, false, false},
       true,
       polynomial_size},
      {"chebyshev of kind 2",
       chebyshev_second,
       [](const Exact& n, const Exact& x) -> Exact {
         const Exact t = acos(x);
         return sin(Exact((n + 1) * t)) / sin(t);
       },
       degrees,
       {-1, 1, false, false},
       true,
       [](double, double x) { return 1 / std::sqrt(1 - x * x); }},
      {"exponential_integral (order, x)",
       [](double n, double x) { return exponential_integral(n, x); },
       [](const Exact& n, const Exact& x) -> Exact { return bm::expint(degree(n), x); },
       {1, 30, false, false},
       {0.01, 300, true, false},
       true},
  };
}

// The probability of more than x.
std::vector<Special> survivals() {
  const auto of = [](DistributionKind kind) {
    return [kind](double p, double x) { return Distribution(kind, {p}).survival(x); };
  };
  return {
      {"survival of normal",
       [](double, double x) {
         return Distribution(DistributionKind::normal, {0, 1}).survival(x);
       },
       [](const Exact&, const Exact& x) -> Exact { return bm::erfc(x / sqrt(Exact(2))) / 2; },
       kNone,
       {-5, 37, false, false}},
      {"survival of student_t (degrees of freedom, x)",
       of(DistributionKind::student_t),
       [](const Exact& v, const Exact& x) -> Exact {
         return bm::ibeta(v / 2, Exact(0.5), v / (v + x * x)) / 2;
       },
       {1, 60, false, false},
       {0.5, 1e5, true, false}},
      {"survival of chi_squared (degrees of freedom, x)",
       of(DistributionKind::chi_squared),
       [](const Exact& v, const Exact& x) -> Exact { return bm::gamma_q(v / 2, x / 2); },
       {1, 60, false, false},
       {0.5, 500, true, false}},
      {"survival of poisson (mean, x)",
       of(DistributionKind::poisson),
       [](const Exact& m, const Exact& x) -> Exact { return bm::gamma_p(floor(x) + 1, m); },
       {0.1, 60, true, false},
       {0.5, 100, true, false}},
  };
}

std::vector<std::string> measured(const Special& row, Points& random) {
  constexpr int count = 200;
  auto p = points_of({row.p}, count, random);
  const auto x = points_of({row.x}, count, random);
  if (row.is_whole)
    for (double& v : p) v = std::floor(v);
  double worst = 0, at = 0, beside = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    const auto exact = row.exact(Exact(p[k]), Exact(x[k]));
    const auto nearest = static_cast<double>(exact);
    constexpr double smallest = 1e-290;
    if (!std::isfinite(nearest) || std::fabs(nearest) < smallest) continue;
    double off = in_ulp(row.of(p[k], x[k]), exact);
    if (row.size) off *= unit_at(nearest) / std::max(unit_at(nearest), unit_at(row.size(p[k], x[k])));
    if (off > worst) {
      worst = off;
      at = p[k];
      beside = x[k];
    }
  }
  const bool has_p = row.p.to != 0, has_x = row.x.to != 0;
  return {row.name, has_p ? text_of({row.p}) : "", has_x ? text_of({row.x}) : "",
          fmt::format("{:.2f}", worst),
          has_p && has_x ? fmt::format("{:.6g}, {:.6g}", at, beside)
                         : fmt::format("{:.6g}", has_p ? at : beside)};
}

}  // namespace

Table special_functions() {
  Table out{
      "Special functions and distributions",
      "As above, for 200 points each. Near zeros the error is relative to the size of the function nearby.",
      {"function", "first", "second", "largest error", "at"},
      {}};
  Points random;
  for (const auto& rows : {functions_of_one(), functions_of_two_numbers(), survivals()})
    for (const auto& row : rows) out.rows.push_back(measured(row, random));
  return out;
}

}  // namespace accuracy
