// Families of random integrals over two and three variables with closed forms; A. C. Genz's six families
// among them (Proc. NATO Workshop on Numerical Integration, 1987).
#pragma once

#include "reference/integral_families.h"

namespace quill::test {

struct CubatureProblem {
  std::function<double(std::span<const double>)> f;
  std::vector<std::pair<double, double>> ranges;
  double value = 0, size = 1;
};

struct CubatureFamily {
  std::string name;
  std::function<CubatureProblem(std::mt19937_64&)> make;
};

inline std::vector<CubatureFamily> cubature_families(std::size_t axes) {
  using Random = std::mt19937_64;
  using Point = std::span<const double>;
  using std::numbers::pi;
  const std::vector<std::pair<double, double>> unit(axes, {0.0, 1.0});
  // Genz's parameters: places w, difficulties a of a given sum.
  const auto places = [axes](Random& r) {
    std::vector<double> w(axes);
    for (auto& x : w) x = uniform(r, 0, 1);
    return w;
  };
  const auto difficulties = [axes](Random& r, double sum) {
    std::vector<double> a(axes);
    double all = 0;
    for (auto& x : a) all += x = uniform(r, 0.1, 1);
    for (auto& x : a) x *= sum / all;
    return a;
  };
  const auto product = [axes, unit](std::function<double(std::size_t, double)> f, double value) {
    return CubatureProblem{[f, axes](Point x) {
                             double out = 1;
                             for (std::size_t d = 0; d < axes; ++d) out *= f(d, x[d]);
                             return out;
                           },
                           unit, value};
  };
  return {
      {"Genz: oscillatory",
       [=](Random& r) {
         const auto a = difficulties(r, 9);
         const double phase = uniform(r, 0, 6);
         double value = 1, middle = phase;
         for (const double x : a) {
           value *= 2 / x * std::sin(x / 2);
           middle += x / 2;
         }
         return CubatureProblem{[=](Point x) {
                                  double t = phase;
                                  for (std::size_t d = 0; d < axes; ++d) t += a[d] * x[d];
                                  return std::cos(t);
                                },
                                unit, value * std::cos(middle)};
       }},
      {"Genz: product peak",
       [=](Random& r) {
         const auto a = difficulties(r, 12), w = places(r);
         double value = 1;
         for (std::size_t d = 0; d < axes; ++d)
           value *= a[d] * (std::atan(a[d] * (1 - w[d])) + std::atan(a[d] * w[d]));
         return product(
             [=](std::size_t d, double x) { return 1 / (1 / (a[d] * a[d]) + (x - w[d]) * (x - w[d])); },
             value);
       }},
      {"Genz: corner peak",
       [=](Random& r) {
         const auto a = difficulties(r, 4);
         // By inclusion and exclusion over the corners.
         double value = 0, factor = 1;
         for (std::size_t d = 0; d < axes; ++d) factor *= a[d] * static_cast<double>(d + 1);
         for (std::size_t corner = 0; corner < (std::size_t{1} << axes); ++corner) {
           double sum = 1;
           int ones = 0;
           for (std::size_t d = 0; d < axes; ++d)
             if (corner >> d & 1U) {
               sum += a[d];
               ++ones;
             }
           value += (ones % 2 ? -1 : 1) / sum;
         }
         return CubatureProblem{[=](Point x) {
                                  double t = 1;
                                  for (std::size_t d = 0; d < axes; ++d) t += a[d] * x[d];
                                  return std::pow(t, -static_cast<double>(axes) - 1);
                                },
                                unit, value / factor, value / factor};
       }},
      {"Genz: normal",
       [=](Random& r) {
         const auto a = difficulties(r, 10), w = places(r);
         double value = 1;
         for (std::size_t d = 0; d < axes; ++d)
           value *= std::sqrt(pi) / (2 * a[d]) * (std::erf(a[d] * (1 - w[d])) + std::erf(a[d] * w[d]));
         return product([=](std::size_t d, double x) { return std::exp(-std::pow(a[d] * (x - w[d]), 2)); },
                        value);
       }},
      {"Genz: continuous",
       [=](Random& r) {
         const auto a = difficulties(r, 8), w = places(r);
         double value = 1;
         for (std::size_t d = 0; d < axes; ++d)
           value *= (2 - std::exp(-a[d] * w[d]) - std::exp(-a[d] * (1 - w[d]))) / a[d];
         return product([=](std::size_t d, double x) { return std::exp(-a[d] * std::fabs(x - w[d])); },
                        value);
       }},
      {"Genz: discontinuous",
       [=](Random& r) {
         const auto a = difficulties(r, 6), w = places(r);
         double value = 1;
         for (std::size_t d = 0; d < axes; ++d) value *= std::expm1(a[d] * w[d]) / a[d];
         return product([=](std::size_t d, double x) { return x > w[d] ? 0 : std::exp(a[d] * x); }, value);
       }},
      {"box indicator",
       [=](Random& r) {
         std::vector<double> low = places(r), high = places(r);
         double value = 1;
         for (std::size_t d = 0; d < axes; ++d) {
           if (low[d] > high[d]) std::swap(low[d], high[d]);
           value *= high[d] - low[d];
         }
         return product([=](std::size_t d, double x) { return x >= low[d] && x < high[d] ? 1 : 0; }, value);
       }},
      {"squares of cosines, whole turns",
       [=](Random& r) {
         std::vector<double> turns(axes);
         double value = 1;
         for (auto& n : turns) {
           n = static_cast<double>(r() % 5);
           if (n > 0) value /= 2;
         }
         return product([=](std::size_t d, double x) { return std::pow(std::cos(2 * pi * turns[d] * x), 2); },
                        value);
       }},
      {"sum of kinks",
       [=](Random& r) {
         const auto w = places(r);
         double value = 0;
         for (const double x : w) value += (x * x + (1 - x) * (1 - x)) / 2;
         return CubatureProblem{[=](Point x) {
                                  double out = 0;
                                  for (std::size_t d = 0; d < axes; ++d) out += std::fabs(x[d] - w[d]);
                                  return out;
                                },
                                unit, value};
       }},
      {"narrow bump on a background",
       [=](Random& r) {
         const double w = spread(r, 0.02, 0.2);
         const auto c = places(r);
         double value = 1;
         for (std::size_t d = 0; d < axes; ++d)
           value *= w * std::sqrt(pi) / 2 * (std::erf((1 - c[d]) / w) + std::erf(c[d] / w));
         return CubatureProblem{[=](Point x) {
                                  double t = 0;
                                  for (std::size_t d = 0; d < axes; ++d) t += std::pow((x[d] - c[d]) / w, 2);
                                  return 1 + std::exp(-t);
                                },
                                unit, 1 + value};
       }},
      {"normal over the whole space",
       [=](Random& r) {
         std::vector<double> w(axes);
         double value = 1;
         for (auto& x : w) {
           x = spread(r, 0.05, 20);
           value *= x * std::sqrt(pi);
         }
         auto p = product([=](std::size_t d, double x) { return std::exp(-std::pow(x / w[d], 2)); }, value);
         p.ranges.assign(axes, {-INFINITY, INFINITY});
         p.size = value;
         return p;
       }},
      {"powers at the corner",
       [=](Random& r) {
         std::vector<double> p(axes);
         double value = 1;
         for (auto& x : p) {
           x = uniform(r, -0.6, 1);
           value /= 1 + x;
         }
         return product([=](std::size_t d, double x) { return std::pow(x, p[d]); }, value);
       }},
  };
}

inline ClaimCount count_claims(const CubatureFamily& family, int count, std::uint64_t seed,
                               IntegralOptions options) {
  ClaimCount out;
  std::mt19937_64 random(seed);
  for (int k = 0; k < count; ++k) {
    const auto p = family.make(random);
    std::vector<RangeOf> ranges;
    for (const auto& range : p.ranges) ranges.push_back([range](auto) { return range; });
    const auto found = integrate([&](std::span<const double> x, std::span<double> y) { y[0] = p.f(x); }, 1,
                                 ranges, options)[0];
    const double off = std::fabs(found.value - p.value),
                 rounding = 1e-13 * std::max(p.size, std::fabs(p.value));
    out.evaluations.push_back(found.evaluations);
    if (found.needs_warning(options)) {
      ++out.warned;
      out.needless += off <= 10 * options.relative * std::fabs(p.value);
    } else if (!(off <= 3 * found.error + rounding)) {
      if (out.wrong++ == 0)
        out.first_wrong = std::to_string(k) + ": " + shortest(found.value) + " ± " + shortest(found.error) +
                          " for " + shortest(p.value);
    } else {
      ++out.right;
    }
  }
  return out;
}

}  // namespace quill::test
