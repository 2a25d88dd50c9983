// Families of random integrals with closed forms, and a count of how their stated errors hold.
#pragma once

#include <cmath>
#include <functional>
#include <numbers>
#include <random>
#include <string>
#include <vector>

#include "base/error.h"
#include "numerics/quadrature.h"

namespace quill::test {

struct IntegralProblem {
  RealFunction f;
  double a = 0, b = 1, value = 0;
  double size = 0;  // of the integral of |f|, about
  bool diverges = false;
};

struct IntegralFamily {
  std::string name;
  std::function<IntegralProblem(std::mt19937_64&)> make;
};

inline double uniform(std::mt19937_64& r, double a, double b) {
  return std::uniform_real_distribution<>(a, b)(r);
}
// Evenly in its logarithm.
inline double spread(std::mt19937_64& r, double a, double b) {
  return std::exp(uniform(r, std::log(a), std::log(b)));
}

// f(x / unit) * height over the range in that unit.
inline IntegralProblem scaled(IntegralProblem p, double unit, double height) {
  const auto f = p.f;
  p.f = [f, unit, height](double x) { return height * f(x / unit); };
  p.a *= unit;
  p.b *= unit;
  p.value *= unit * height;
  p.size *= unit * std::fabs(height);
  return p;
}

// Pieces to put together: over [0, 1].
inline IntegralProblem jump_problem(std::mt19937_64& r) {
  const double c = uniform(r, 0, 1), u = uniform(r, -1, 1), v = uniform(r, -1, 1);
  return {[=](double x) { return x < c ? u : v; }, 0, 1, u * c + v * (1 - c), std::fabs(u) + std::fabs(v)};
}
inline IntegralProblem kink_problem(std::mt19937_64& r) {
  const double c = uniform(r, 0, 1), p = uniform(r, 0.3, 2);
  return {[=](double x) { return std::pow(std::fabs(x - c), p); }, 0, 1,
          (std::pow(c, p + 1) + std::pow(1 - c, p + 1)) / (p + 1), 1};
}
inline IntegralProblem wave_problem(std::mt19937_64& r) {
  const double w = spread(r, 1, 1000), s = uniform(r, 0, 6);
  return {[=](double x) { return std::sin(w * x + s); }, 0, 1, 2 / w * std::sin(w / 2) * std::sin(w / 2 + s),
          0.6};
}
inline IntegralProblem smooth_problem(std::mt19937_64& r) {
  const double k = uniform(r, -8, 8), c = uniform(r, -3, 3);
  return {[=](double x) { return c + std::exp(k * x); }, 0, 1, c + std::expm1(k) / k,
          std::fabs(c) + std::fabs(std::expm1(k) / k)};
}
inline IntegralProblem peak_problem(std::mt19937_64& r) {
  const double c = uniform(r, 0, 1), w = spread(r, 1e-3, 0.1);
  return {[=](double x) { return 1 / (1 + std::pow((x - c) / w, 2)); }, 0, 1,
          w * (std::atan((1 - c) / w) + std::atan(c / w)), 3 * w};
}
inline IntegralProblem sum_of(const IntegralProblem& p, const IntegralProblem& q) {
  return {[f = p.f, g = q.f](double x) { return f(x) + g(x); }, p.a, p.b, p.value + q.value, p.size + q.size};
}

inline std::vector<IntegralFamily> integral_families() {
  using Random = std::mt19937_64;
  using std::numbers::pi;
  std::vector<IntegralFamily> out = {
      {"smooth", smooth_problem},
      {"one jump", jump_problem},
      {"steps: floor(k x)",
       [](Random& r) -> IntegralProblem {
         const double length = uniform(r, 2, 300), whole = std::floor(length);
         return {[](double x) { return std::floor(x); }, 0, length,
                 whole * (whole - 1) / 2 + whole * (length - whole), length * length / 2};
       }},
      {"kink and cusp", kink_problem},
      {"wave", wave_problem},
      {"1 + sin(w x) over a long range",
       [](Random& r) -> IntegralProblem {
         const double w = uniform(r, 0.5, 20), length = spread(r, 10, 2000);
         return {[=](double x) { return 1 + std::sin(w * x); }, 0, length,
                 length + (1 - std::cos(w * length)) / w, length};
       }},
      {"sin(x)^2 over a long range",
       [](Random& r) -> IntegralProblem {
         const double length = spread(r, 10, 30000);
         return {[](double x) { return std::pow(std::sin(x), 2); }, 0, length,
                 length / 2 - std::sin(2 * length) / 4, length / 2};
       }},
      {"peak", peak_problem},
      {"narrow normal peak in a long range",
       [](Random& r) -> IntegralProblem {
         const double length = spread(r, 10, 1000), w = uniform(r, 0.3, 3), c = uniform(r, 0, length);
         return {[=](double x) { return std::exp(-std::pow((x - c) / w, 2)); }, 0, length,
                 w * std::sqrt(pi) / 2 * (std::erf((length - c) / w) + std::erf(c / w)), w};
       }},
      {"narrow peak on a background",
       [](Random& r) -> IntegralProblem {
         const double w = spread(r, 1e-3, 0.1), c = uniform(r, 0.1, 0.9);
         return {[=](double x) { return 1 + x + std::exp(-std::pow((x - c) / w, 2)); }, 0, 1,
                 1.5 + w * std::sqrt(pi) / 2 * (std::erf((1 - c) / w) + std::erf(c / w)), 1.5};
       }},
      {"normal peak far from 0 over the whole line",
       [](Random& r) -> IntegralProblem {
         const double c = (r() % 2 ? 1 : -1) * spread(r, 1, 1000), w = spread(r, 0.3, 30);
         return {[=](double x) { return std::exp(-std::pow((x - c) / w, 2)); }, -INFINITY, INFINITY,
                 w * std::sqrt(pi), w};
       }},
      {"x^p at the end 0",
       [](Random& r) -> IntegralProblem {
         const double p = uniform(r, -0.95, 3);
         return {[=](double x) { return std::pow(x, p); }, 0, 1, 1 / (1 + p), 1 / (1 + p)};
       }},
      {"log(x) x^p at the end 0",
       [](Random& r) -> IntegralProblem {
         const double p = uniform(r, -0.9, 2);
         return {[=](double x) { return std::log(x) * std::pow(x, p); }, 0, 1, -std::pow(1 + p, -2),
                 std::pow(1 + p, -2)};
       }},
      {"|x - a|^p at another end",
       [](Random& r) -> IntegralProblem {
         const double p = uniform(r, -0.7, 1), a = uniform(r, -2, 2);
         return {[=](double x) { return std::pow(std::fabs(x - a), p); }, a, a + 1, 1 / (1 + p), 1 / (1 + p)};
       }},
      {"|x - c|^p inside",
       [](Random& r) -> IntegralProblem {
         const double c = uniform(r, 0, 1), p = uniform(r, -0.6, 0);
         return {[=](double x) { return std::pow(std::fabs(x - c), p); }, 0, 1,
                 (std::pow(c, p + 1) + std::pow(1 - c, p + 1)) / (p + 1), 2 / (p + 1)};
       }},
      {"powers over a half line",
       [](Random& r) -> IntegralProblem {
         const double p = uniform(r, 1.2, 6), s = spread(r, 1e-3, 1e3);
         return {[=](double x) { return std::pow(1 + x / s, -p); }, 0, INFINITY, s / (p - 1), s / (p - 1)};
       }},
      {"x^n exp(-x/s) over a half line",
       [](Random& r) -> IntegralProblem {
         const double n = uniform(r, 0, 6), s = spread(r, 1e-6, 1e6);
         return {[=](double x) { return std::pow(x / s, n) * std::exp(-x / s); }, 0, INFINITY,
                 s * std::tgamma(n + 1), s * std::tgamma(n + 1)};
       }},
      {"divergent",
       [](Random& r) -> IntegralProblem {
         const double p = uniform(r, 1, 3), c = uniform(r, 0.05, 0.95);
         switch (r() % 7) {
           case 0: return {[=](double x) { return std::pow(x, -p); }, 0, 1, 0, 1, true};
           case 1: return {[=](double x) { return 1 / (x - c); }, 0, 1, 0, 1, true};
           case 2: return {[=](double x) { return std::pow(std::fabs(x - c), -p); }, 0, 1, 0, 1, true};
           case 3: return {[=](double x) { return std::pow(1 + x, p - 2); }, 0, INFINITY, 0, 1, true};
           case 4: return {[=](double) { return c; }, 0, INFINITY, 0, 1, true};
           case 5: return {[=](double x) { return std::sin(p * x); }, 0, INFINITY, 0, 1, true};
           default: return {[=](double x) { return std::exp(c * x); }, 0, INFINITY, 0, 1, true};
         }
       }},
      {"sum of two difficulties",
       [](Random& r) {
         using Make = IntegralProblem (*)(Random&);
         const Make parts[] = {jump_problem, kink_problem, wave_problem, smooth_problem, peak_problem};
         const auto p = parts[r() % 5](r);
         return sum_of(p, parts[r() % 5](r));
       }},
  };
  out.push_back({"the same in units of 1e-12 to 1e12", [parts = out](Random& r) {
                   const auto p = parts[r() % parts.size()].make(r);
                   return scaled(p, spread(r, 1e-12, 1e12), spread(r, 1e-12, 1e12));
                 }});
  return out;
}

struct ClaimCount {
  int right = 0, warned = 0, refused = 0, wrong = 0, needless = 0;
  std::vector<Index> evaluations;
  std::string first_wrong;
};

// How many of so many problems were answered rightly, with a warning, with an error, or wrongly without a
// word (by more than three times the stated error). A warning or an error is needless when the answer is
// right within ten times the tolerance.
inline ClaimCount count_claims(const IntegralFamily& family, int count, std::uint64_t seed,
                               const IntegralOptions& options = {}) {
  ClaimCount out;
  std::mt19937_64 random(seed);
  for (int k = 0; k < count; ++k) {
    const auto p = family.make(random);
    try {
      const auto found = integrate(p.f, p.a, p.b, options);
      const double off = std::fabs(found.value - p.value),
                   rounding = 2e-14 * std::max(p.size, std::fabs(p.value));
      out.evaluations.push_back(found.evaluations);
      if (found.needs_warning(options)) {
        ++out.warned;
        if (!p.diverges && off <= 10 * options.relative * std::fabs(p.value)) ++out.needless;
      } else if (p.diverges || !(off <= 3 * found.error + rounding)) {
        if (out.wrong++ == 0)
          out.first_wrong = std::to_string(k) + ": " + std::to_string(found.value) + " for " +
                            std::to_string(p.value) + ", off by " + shortest(off) + " with error " +
                            shortest(found.error) + ", range " + shortest(p.a) + " " + shortest(p.b);
      } else {
        ++out.right;
      }
    } catch (const Error& error) {
      ++out.refused;
      if (!p.diverges) {
        ++out.needless;
        if (out.first_wrong.empty()) out.first_wrong = std::to_string(k) + " refused: " + error.message;
      }
    }
  }
  return out;
}

}  // namespace quill::test
