// Integrals against the published test sets (D. K. Kahaner, 1971; R. Piessens et al., QUADPACK, 1983, part V)
// with x in three units, and against closed forms of hard cases.
#include "numerics/quadrature.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <iomanip>
#include <numbers>

#include "base/error.h"

using namespace quill;

namespace {

constexpr double kInfinite = std::numeric_limits<double>::infinity();
using std::numbers::pi;

struct Row {
  RealFunction f;
  double a, b, value;
};

Integral integral(const RealFunction& f, double a, double b, const IntegralOptions& o = {}) {
  return integrate(f, a, b, o);
}

double sech(double x) { return 1 / std::cosh(x); }

// The integral by Gauss's rule of 5 points on many equal parts, in long double: another route to smooth ones.
double by_parts(const std::function<long double(long double)>& f, long double a, long double b, int parts) {
  constexpr long double x[] = {0, 0.538469310105683091036314420700208805L,
                               0.906179845938663992797626878299392965L};
  constexpr long double w[] = {0.568888888888888888888888888888888889L,
                               0.478628670499366468041291514835638193L,
                               0.236926885056189087514264040719917363L};
  long double sum = 0;
  const long double h = (b - a) / parts / 2;
  for (int k = 0; k < parts; ++k) {
    const long double m = a + h * static_cast<long double>(2 * k + 1);
    sum +=
        w[0] * f(m) + w[1] * (f(m - h * x[1]) + f(m + h * x[1])) + w[2] * (f(m - h * x[2]) + f(m + h * x[2]));
  }
  return static_cast<double>(sum * h);
}

long double wave(long double x) {
  return std::cos(std::cos(x) + 3 * std::sin(x) + 2 * std::cos(2 * x) + 3 * std::sin(2 * x) +
                  3 * std::cos(3 * x));
}
long double fading(long double x) {
  const long double t = 50 * std::numbers::pi_v<long double> * x;
  return 50 * std::pow(std::sin(t) / t, 2);
}
long double ripple(long double x) {
  const long double t = std::numbers::pi_v<long double> * x;
  return std::sin(100 * t) / t;
}

std::vector<Row> kahaner() {
  return {
      {[](double x) { return std::exp(x); }, 0, 1, std::expm1(1.0)},
      {[](double x) { return x >= 0.3 ? 1 : 0; }, 0, 1, 0.7},
      {[](double x) { return std::sqrt(x); }, 0, 1, 2.0 / 3},
      {[](double x) { return 0.92 * std::cosh(x) - std::cos(x); }, -1, 1,
       2 * (0.92 * std::sinh(1.0) - std::sin(1.0))},
      {[](double x) { return 1 / (std::pow(x, 4) + x * x + 0.9); }, -1, 1, 1.5822329637296729331},
      {[](double x) { return x * std::sqrt(x); }, 0, 1, 0.4},
      {[](double x) { return 1 / std::sqrt(x); }, 0, 1, 2},
      {[](double x) { return 1 / (1 + std::pow(x, 4)); }, 0, 1, 0.86697298733991103757},
      {[](double x) { return 2 / (2 + std::sin(10 * pi * x)); }, 0, 1, 2 / std::sqrt(3.0)},
      {[](double x) { return 1 / (1 + x); }, 0, 1, std::log(2.0)},
      {[](double x) { return 1 / (1 + std::exp(x)); }, 0, 1, 1 - std::log1p(std::exp(1.0)) + std::log(2.0)},
      {[](double x) { return x == 0 ? 1 : x / std::expm1(x); }, 0, 1, 0.77750463411224827640},
      {[](double x) { return static_cast<double>(ripple(x)); }, 0.1, 1, by_parts(ripple, 0.1L, 1, 4000)},
      {[](double x) { return std::sqrt(50) * std::exp(-50 * pi * x * x); }, 0, 10, 0.5},
      {[](double x) { return 25 * std::exp(-25 * x); }, 0, 10, 1},
      {[](double x) { return 50 / (pi * (2500 * x * x + 1)); }, 0, 10, std::atan(500.0) / pi},
      {[](double x) { return static_cast<double>(fading(x)); }, 0.01, 1, by_parts(fading, 0.01L, 1, 4000)},
      {[](double x) { return static_cast<double>(wave(x)); }, 0, pi, by_parts(wave, 0, pi, 2000)},
      {[](double x) { return std::log(x); }, 0, 1, -1},
      {[](double x) { return 1 / (1.005 + x * x); }, -1, 1,
       2 / std::sqrt(1.005) * std::atan(1 / std::sqrt(1.005))},
      {[](double x) {
         return std::pow(sech(10 * (x - 0.2)), 2) + std::pow(sech(100 * (x - 0.4)), 4) +
                std::pow(sech(1000 * (x - 0.6)), 6);
       },
       0, 1, 0.21080273550054927738},
  };
}

std::vector<Row> piessens() {
  std::vector<Row> out;
  for (const double a : {-0.9, -0.5, 0.0, 0.6, 1.4, 2.6}) {
    out.push_back({[=](double x) { return -std::pow(x, a) * std::log(x); }, 0, 1, std::pow(1 + a, -2)});
    if (a > -0.9) {
      out.push_back({[=](double x) { return std::pow(std::fabs(x - 1.0 / 3), a); }, 0, 1,
                     (std::pow(2.0 / 3, a + 1) + std::pow(1.0 / 3, a + 1)) / (a + 1)});
      out.push_back({[=](double x) { return std::pow(std::fabs(x - pi / 4), a); }, 0, 1,
                     (std::pow(1 - pi / 4, a + 1) + std::pow(pi / 4, a + 1)) / (a + 1)});
    }
  }
  for (const double a : {0.0, 2.0, 4.0, 7.0, 10.0, 14.0}) {
    out.push_back({[=](double x) { return std::pow(4, -a) / (std::pow(x - pi / 4, 2) + std::pow(16, -a)); },
                   0, 1, std::atan((4 - pi) * std::pow(4, a - 1)) + std::atan(pi * std::pow(4, a - 1))});
    if (a <= 10)
      out.push_back({[=](double x) { return std::cos(std::pow(2, a) * std::sin(x)); }, 0, pi,
                     pi * std::cyl_bessel_j(0, std::pow(2, a))});
    out.push_back({[=](double x) { return 1 / (std::sqrt((1 - x) * (1 + x)) * (1 + x + std::pow(2, -a))); },
                   -1, 1, pi / std::sqrt(std::pow(2, -a) * (2 + std::pow(2, -a)))});
    out.push_back({[=](double x) { return x * x * std::exp(-std::pow(2, -a) * x); }, 0, kInfinite,
                   std::pow(2, 3 * a + 1)});
    if (a <= 7)
      out.push_back({[=](double x) { return std::exp(20 * (x - 1)) * std::sin(std::pow(2, a) * x); }, 0, 1,
                     (20 * std::sin(std::pow(2, a)) - std::pow(2, a) * std::cos(std::pow(2, a)) +
                      std::pow(2, a) * std::exp(-20.0)) /
                         (400 + std::pow(4, a))});
  }
  for (const double a : {0.2, 0.5, 1.0, 1.7, 2.6}) {
    out.push_back({[=](double x) { return std::pow(std::sin(x), a - 1); }, 0, pi / 2,
                   std::pow(2, a - 2) * std::pow(std::tgamma(a / 2), 2) / std::tgamma(a)});
    out.push_back({[=](double x) { return std::pow(-std::log(x), a - 1); }, 0, 1, std::tgamma(a)});
    if (a < 1.9 && a != 1)
      out.push_back({[=](double x) { return std::pow(x, a - 1) / std::pow(1 + 10 * x, 2); }, 0, kInfinite,
                     std::pow(10, -a) * (1 - a) * pi / std::sin(pi * a)});
  }
  return out;
}

}  // namespace

TEST_CASE("the error of an integral bounds what is wrong, in any unit of x") {
  std::size_t k = 0, evaluations = 0;
  for (const auto& set : {kahaner(), piessens()})
    for (const auto& row : set) {
      Integral first;
      for (const double unit : {1.0, 1e-9, 1e9}) {
        const auto e = integral([&](double x) { return row.f(x / unit); }, row.a * unit, row.b * unit);
        const double value = e.value / unit, error = e.error / unit;
        INFO(std::setprecision(17) << "row " << k << " unit " << unit << " value " << value << " ± " << error
                                   << " for " << row.value << ", evaluations " << e.evaluations);
        // Closed forms and units are known to some rounding.
        const double rounding = 1e-14 * std::fabs(row.value) + 1e-16;
        CHECK(std::fabs(value - row.value) <= error + rounding);
        CHECK(error <= 1e-6 * std::fabs(row.value) + 1e-15);
        evaluations += static_cast<std::size_t>(e.evaluations);
        if (unit == 1)
          first = e;
        else
          CHECK(std::fabs(value - first.value) <= first.error + error + rounding);
      }
      ++k;
    }
  CHECK(evaluations / (3 * k) < 3000);
}
