// The test problems of J. J. Moré, B. S. Garbow, K. E. Hillstrom, Testing unconstrained optimization
// software, 1981, with their published minima.
#pragma once

#include <cmath>
#include <functional>
#include <numbers>
#include <span>
#include <string>
#include <vector>

namespace quill::test {

struct SquaresProblem {
  using Residuals = std::function<void(std::span<const double> x, std::vector<double>& f)>;
  std::string name;
  std::vector<double> start;
  Residuals residuals;
  std::vector<double> minima;  // of the sum of squares; the first one is the least

  double sum(std::span<const double> x) const {
    std::vector<double> f;
    residuals(x, f);
    double out = 0;
    for (const double r : f) out += r * r;
    return out;
  }
};

inline std::vector<SquaresProblem> squares_problems() {
  using S = std::span<const double>;
  using F = std::vector<double>&;
  const auto alternating = [](double a, double b, std::size_t n) {
    std::vector<double> out;
    for (std::size_t k = 0; k < n; ++k) out.push_back(k % 2 ? b : a);
    return out;
  };
  const auto rosenbrock = [](S x, F f) {
    for (std::size_t k = 0; k + 1 < x.size(); k += 2) {
      f.push_back(10 * (x[k + 1] - x[k] * x[k]));
      f.push_back(1 - x[k]);
    }
  };
  const auto powell_singular = [](S x, F f) {
    for (std::size_t k = 0; k + 3 < x.size(); k += 4) {
      f.push_back(x[k] + 10 * x[k + 1]);
      f.push_back(std::sqrt(5.0) * (x[k + 2] - x[k + 3]));
      f.push_back(std::pow(x[k + 1] - 2 * x[k + 2], 2));
      f.push_back(std::sqrt(10.0) * std::pow(x[k] - x[k + 3], 2));
    }
  };
  const auto watson = [](S x, F f) {
    for (int i = 1; i <= 29; ++i) {
      const double t = i / 29.0;
      double slope = 0, value = 0;
      for (std::size_t j = x.size(); j-- > 0;) value = value * t + x[j];
      for (std::size_t j = x.size(); j-- > 1;) slope = slope * t + static_cast<double>(j) * x[j];
      f.push_back(slope - value * value - 1);
    }
    f.push_back(x[0]);
    f.push_back(x[1] - x[0] * x[0] - 1);
  };
  const auto penalty = [](S x, F f) {
    double sum = 0;
    for (const double v : x) {
      f.push_back(std::sqrt(1e-5) * (v - 1));
      sum += v * v;
    }
    f.push_back(sum - 0.25);
  };
  const auto variably_dimensioned = [](S x, F f) {
    double sum = 0;
    for (std::size_t k = 0; k < x.size(); ++k) {
      f.push_back(x[k] - 1);
      sum += static_cast<double>(k + 1) * (x[k] - 1);
    }
    f.push_back(sum);
    f.push_back(sum * sum);
  };
  const auto trigonometric = [](S x, F f) {
    double cosines = 0;
    const auto n = static_cast<double>(x.size());
    for (const double v : x) cosines += std::cos(v);
    for (std::size_t k = 0; k < x.size(); ++k)
      f.push_back(n - cosines + static_cast<double>(k + 1) * (1 - std::cos(x[k])) - std::sin(x[k]));
  };
  const auto broyden_tridiagonal = [](S x, F f) {
    for (std::size_t k = 0; k < x.size(); ++k)
      f.push_back((3 - 2 * x[k]) * x[k] - (k > 0 ? x[k - 1] : 0) - (k + 1 < x.size() ? 2 * x[k + 1] : 0) + 1);
  };
  const auto boundary_value = [](S x, F f) {
    const double h = 1 / (static_cast<double>(x.size()) + 1);
    for (std::size_t k = 0; k < x.size(); ++k) {
      const double t = static_cast<double>(k + 1) * h;
      f.push_back(2 * x[k] - (k > 0 ? x[k - 1] : 0) - (k + 1 < x.size() ? x[k + 1] : 0) +
                  h * h * std::pow(x[k] + t + 1, 3) / 2);
    }
  };
  std::vector<double> boundary_start, trigonometric_start(10, 0.1), variable_start;
  for (int k = 1; k <= 10; ++k) {
    boundary_start.push_back(k / 11.0 * (k / 11.0 - 1));
    variable_start.push_back(1 - k / 10.0);
  }
  return {
      {"Rosenbrock", {-1.2, 1}, rosenbrock, {0}},
      {"Freudenstein and Roth",
       {0.5, -2},
       [](S x, F f) {
         f = {-13 + x[0] + ((5 - x[1]) * x[1] - 2) * x[1], -29 + x[0] + ((x[1] + 1) * x[1] - 14) * x[1]};
       },
       {0, 48.98425}},
      {"Powell badly scaled",
       {0, 1},
       [](S x, F f) {
         f = {1e4 * x[0] * x[1] - 1, std::exp(-x[0]) + std::exp(-x[1]) - 1.0001};
       },
       {0}},
      {"Brown badly scaled",
       {1, 1},
       [](S x, F f) {
         f = {x[0] - 1e6, x[1] - 2e-6, x[0] * x[1] - 2};
       },
       {0}},
      {"Beale",
       {1, 1},
       [](S x, F f) {
         f = {1.5 - x[0] * (1 - x[1]), 2.25 - x[0] * (1 - x[1] * x[1]),
              2.625 - x[0] * (1 - std::pow(x[1], 3))};
       },
       {0}},
      {"Jennrich and Sampson",
       {0.3, 0.4},
       [](S x, F f) {
         for (int i = 1; i <= 10; ++i) f.push_back(2 + 2 * i - (std::exp(i * x[0]) + std::exp(i * x[1])));
       },
       {124.3621824}},
      {"helical valley",
       {-1, 0, 0},
       [](S x, F f) {
         const double turn = std::atan(x[1] / x[0]) / (2 * std::numbers::pi) + (x[0] < 0 ? 0.5 : 0);
         f = {10 * (x[2] - 10 * turn), 10 * (std::hypot(x[0], x[1]) - 1), x[2]};
       },
       {0}},
      {"Bard",
       {1, 1, 1},
       [](S x, F f) {
         constexpr double y[] = {0.14, 0.18, 0.22, 0.25, 0.29, 0.32, 0.35, 0.39,
                                 0.37, 0.58, 0.73, 0.96, 1.34, 2.10, 4.39};
         for (int i = 1; i <= 15; ++i) {
           const double v = 16 - i, w = std::min<double>(i, v);
           f.push_back(y[i - 1] - (x[0] + i / (v * x[1] + w * x[2])));
         }
       },
       {8.214877e-3, 17.4286}},
      {"Meyer",
       {0.02, 4000, 250},
       [](S x, F f) {
         constexpr double y[] = {34780, 28610, 23650, 19630, 16370, 13720, 11540, 9744,
                                 8261,  7030,  6005,  5147,  4427,  3820,  3307,  2872};
         for (int i = 1; i <= 16; ++i) f.push_back(x[0] * std::exp(x[1] / (45 + 5 * i + x[2])) - y[i - 1]);
       },
       {87.94585517}},
      {"Box",
       {0, 10, 20},
       [](S x, F f) {
         for (int i = 1; i <= 10; ++i) {
           const double t = 0.1 * i;
           f.push_back(std::exp(-t * x[0]) - std::exp(-t * x[1]) - x[2] * (std::exp(-t) - std::exp(-10 * t)));
         }
       },
       {0}},
      {"Powell singular", {3, -1, 0, 1}, powell_singular, {0}},
      {"Wood",
       {-3, -1, -3, -1},
       [](S x, F f) {
         f = {10 * (x[1] - x[0] * x[0]),
              1 - x[0],
              std::sqrt(90.0) * (x[3] - x[2] * x[2]),
              1 - x[2],
              std::sqrt(10.0) * (x[1] + x[3] - 2),
              (x[1] - x[3]) / std::sqrt(10.0)};
       },
       {0}},
      {"Kowalik and Osborne",
       {0.25, 0.39, 0.415, 0.39},
       [](S x, F f) {
         constexpr double y[] = {0.1957, 0.1947, 0.1735, 0.1600, 0.0844, 0.0627,
                                 0.0456, 0.0342, 0.0323, 0.0235, 0.0246},
                          u[] = {4, 2, 1, 0.5, 0.25, 0.167, 0.125, 0.1, 0.0833, 0.0714, 0.0625};
         for (int i = 0; i < 11; ++i)
           f.push_back(y[i] - x[0] * (u[i] * u[i] + u[i] * x[1]) / (u[i] * u[i] + u[i] * x[2] + x[3]));
       },
       {3.0750561e-4, 1.02734e-3}},
      {"Brown and Dennis",
       {25, 5, -5, -1},
       [](S x, F f) {
         for (int i = 1; i <= 20; ++i) {
           const double t = i / 5.0;
           f.push_back(std::pow(x[0] + t * x[1] - std::exp(t), 2) +
                       std::pow(x[2] + x[3] * std::sin(t) - std::cos(t), 2));
         }
       },
       {85822.2016}},
      {"Osborne 1",
       {0.5, 1.5, -1, 0.01, 0.02},
       [](S x, F f) {
         constexpr double y[] = {0.844, 0.908, 0.932, 0.936, 0.925, 0.908, 0.881, 0.850, 0.818, 0.784, 0.751,
                                 0.718, 0.685, 0.658, 0.628, 0.603, 0.580, 0.558, 0.538, 0.522, 0.506, 0.490,
                                 0.478, 0.467, 0.457, 0.448, 0.438, 0.431, 0.424, 0.420, 0.414, 0.411, 0.406};
         for (int i = 0; i < 33; ++i)
           f.push_back(y[i] - (x[0] + x[1] * std::exp(-10 * i * x[3]) + x[2] * std::exp(-10 * i * x[4])));
       },
       {5.46489e-5}},
      {"Watson in 6", std::vector<double>(6, 0.0), watson, {2.28767e-3}},
      {"Watson in 9", std::vector<double>(9, 0.0), watson, {1.39976e-6}},
      {"Rosenbrock in 20", alternating(-1.2, 1, 20), rosenbrock, {0}},
      {"Powell singular in 12", {3, -1, 0, 1, 3, -1, 0, 1, 3, -1, 0, 1}, powell_singular, {0}},
      {"penalty in 4", {1, 2, 3, 4}, penalty, {2.249975e-5}},
      {"penalty in 10", {1, 2, 3, 4, 5, 6, 7, 8, 9, 10}, penalty, {7.087651e-5}},
      {"variably dimensioned", variable_start, variably_dimensioned, {0}},
      {"trigonometric", trigonometric_start, trigonometric, {0, 2.79506e-5, 4.218634e-5}},
      {"Broyden tridiagonal", std::vector<double>(10, -1.0), broyden_tridiagonal, {0}},
      {"boundary value", boundary_start, boundary_value, {0}},
  };
}

}  // namespace quill::test
