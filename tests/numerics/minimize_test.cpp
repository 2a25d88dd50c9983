// Claims of minimize in several variables: on published problems, over scales, with constraints.
#include <catch2/catch.hpp>
#include <cmath>

#include "base/error.h"
#include "numerics/minimize.h"
#include "reference/sums_of_squares.h"

using namespace quill;
using namespace quill::test;

namespace {

using enum MinimizeMethod;

bool is_minimum(const SquaresProblem& p, double value) {
  for (const double v : p.minima)
    if (std::fabs(value - v) <= 1e-5 * v + 1e-8 * std::min(p.sum(p.start), 1.0)) return true;
  return false;
}

std::string message(const std::function<void()>& f) {
  try {
    f();
  } catch (const Error& error) { return error.message; }
  return "";
}

}  // namespace

TEST_CASE("on published problems minimize finds a minimum or says that it has not converge") {
  int right = 0, warned = 0;
  for (const auto& p : squares_problems())
    for (const auto method : {automatic, lbfgs, slsqp, nelder_mead, bobyqa}) {
      MinimizeOptions options;
      options.method = method;
      options.limit = 40000;
      const auto found = minimize([&](std::span<const double> x) { return p.sum(x); }, p.start, options);
      CAPTURE(p.name, name_of(method), found.value, found.evaluations);
      CHECK(found.value == Approx(p.sum(found.at)));
      if (found.converged) {
        CHECK(is_minimum(p, found.value));
        ++right;
      } else {
        ++warned;
      }
    }
  CAPTURE(right, warned);
  CHECK(warned <= 12);
}

TEST_CASE("the automatic method finds the least value of nearly all published problems") {
  int missed = 0;
  for (const auto& p : squares_problems()) {
    const auto found = minimize([&](std::span<const double> x) { return p.sum(x); }, p.start, {});
    CAPTURE(p.name, found.value);
    CHECK(is_minimum(p, found.value));
    if (std::fabs(found.value - p.minima[0]) > 1e-4 * p.minima[0] + 1e-8) ++missed;
  }
  CHECK(missed <= 2);
}

TEST_CASE("minimize goes to minima of any scale, also from 0") {
  for (double scale = 1e-12; scale < 2e12; scale *= 100)
    for (const double start : {0.0, 1.0}) {
      const auto found = minimize(
          [&](std::span<const double> x) {
            return std::pow(x[0] / scale - 1, 2) + std::pow(x[1] / scale + 2, 2);
          },
          {start, 0}, {});
      CAPTURE(scale, start);
      CHECK(found.converged);
      CHECK(found.at[0] == Approx(scale).epsilon(1e-6));
      CHECK(found.at[1] == Approx(-2 * scale).epsilon(1e-6));
    }
}

TEST_CASE("constraints that cannot be met are an error that names the worst one") {
  const auto square = [](std::span<const double> x) { return x[0] * x[0] + x[1] * x[1]; };
  MinimizeOptions options;
  options.below = [](std::span<const double> x, std::span<double> out) {
    out[0] = x[1] - 5;
    out[1] = x[0] + 1;
    out[2] = 2 - x[0];
  };
  options.below_count = 3;
  CHECK(message([&] {
          minimize(square, {0, 0}, options);
        }).find("no point satisfies all constraints: at [0.5, ") == 0);
  MinimizeOptions equal;
  equal.equal = [](std::span<const double> x, std::span<double> out) {
    out[0] = x[0] * x[0] + x[1] * x[1] + 1;
  };
  equal.equal_count = 1;
  const auto told = message([&] { minimize(square, {1, 1}, equal); });
  CHECK(told.find("number 1 of `equal` is 1") != std::string::npos);
}

TEST_CASE("with constraints minimize finds the points of published problems") {
  // W. Hock, K. Schittkowski, Test examples for nonlinear programming codes, 1981: problems 6, 7, 24, 35,
  // 43, 71.
  struct Case {
    ScalarFunction f;
    std::vector<double> start, low, high;
    VectorFunction below, equal;
    std::size_t below_count, equal_count;
    double value;
  };
  using S = std::span<const double>;
  using O = std::span<double>;
  const Case cases[] = {
      {[](S x) { return std::pow(1 - x[0], 2); },
       {-1.2, 1},
       {},
       {},
       {},
       [](S x, O g) { g[0] = 10 * (x[1] - x[0] * x[0]); },
       0,
       1,
       0},
      {[](S x) { return std::log(1 + x[0] * x[0]) - x[1]; },
       {2, 2},
       {},
       {},
       {},
       [](S x, O g) { g[0] = std::pow(1 + x[0] * x[0], 2) + x[1] * x[1] - 4; },
       0,
       1,
       -std::sqrt(3.0)},
      {[](S x) { return ((x[0] - 3) * (x[0] - 3) - 9) * std::pow(x[1], 3) / (27 * std::sqrt(3.0)); },
       {1, 0.5},
       {0, 0},
       {INFINITY, INFINITY},
       [](S x, O g) {
         const double r = std::sqrt(3.0);
         g[0] = x[1] - x[0] / r;
         g[1] = -x[0] - r * x[1];
         g[2] = x[0] + r * x[1] - 6;
       },
       {},
       3,
       0,
       -1},
      {[](S x) {
         return 9 - 8 * x[0] - 6 * x[1] - 4 * x[2] + 2 * x[0] * x[0] + 2 * x[1] * x[1] + x[2] * x[2] +
                2 * x[0] * x[1] + 2 * x[0] * x[2];
       },
       {0.5, 0.5, 0.5},
       {0, 0, 0},
       {INFINITY, INFINITY, INFINITY},
       [](S x, O g) { g[0] = x[0] + x[1] + 2 * x[2] - 3; },
       {},
       1,
       0,
       1.0 / 9},
      {[](S x) {
         return x[0] * x[0] + x[1] * x[1] + 2 * x[2] * x[2] + x[3] * x[3] - 5 * x[0] - 5 * x[1] - 21 * x[2] +
                7 * x[3];
       },
       {0, 0, 0, 0},
       {},
       {},
       [](S x, O g) {
         g[0] = x[0] * x[0] + x[1] * x[1] + x[2] * x[2] + x[3] * x[3] + x[0] - x[1] + x[2] - x[3] - 8;
         g[1] = x[0] * x[0] + 2 * x[1] * x[1] + x[2] * x[2] + 2 * x[3] * x[3] - x[0] - x[3] - 10;
         g[2] = 2 * x[0] * x[0] + x[1] * x[1] + x[2] * x[2] + 2 * x[0] - x[1] - x[3] - 5;
       },
       {},
       3,
       0,
       -44},
      {[](S x) { return x[0] * x[3] * (x[0] + x[1] + x[2]) + x[2]; },
       {1, 5, 5, 1},
       {1, 1, 1, 1},
       {5, 5, 5, 5},
       [](S x, O g) { g[0] = 25 - x[0] * x[1] * x[2] * x[3]; },
       [](S x, O g) { g[0] = x[0] * x[0] + x[1] * x[1] + x[2] * x[2] + x[3] * x[3] - 40; },
       1,
       1,
       17.0140173},
  };
  for (const auto& c : cases) {
    MinimizeOptions options;
    options.low = c.low;
    options.high = c.high;
    options.below = c.below;
    options.below_count = c.below_count;
    options.equal = c.equal;
    options.equal_count = c.equal_count;
    const auto found = minimize(c.f, c.start, options);
    CAPTURE(c.value);
    CHECK(found.converged);
    CHECK(found.value == Approx(c.value).epsilon(1e-6).margin(1e-8));
  }
}
