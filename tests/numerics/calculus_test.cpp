// Integrals, derivatives, roots and minima against closed forms, and the orders of the rules for samples.
#include "numerics/derivative.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>
#include <random>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "numerics/integration.h"
#include "numerics/minimize.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

constexpr double kInf = std::numeric_limits<double>::infinity();
using std::numbers::pi;

Array range(double a, double b, Index n) {
  Array out(ElementType::float64, {n});
  for (Index k = 0; k < n; ++k)
    out.mutable_data<double>()[k] = a + (b - a) * static_cast<double>(k) / static_cast<double>(n - 1);
  return out;
}

double largest_difference(const Array& a, const Array& b) {
  return *reduce(Reduction::maximum, apply(Unary::abs, apply(Binary::subtract, a, b))).data<double>();
}

}  // namespace

TEST_CASE("derivatives are right in any unit of x, and their error bounds what is wrong") {
  struct Row {
    std::function<double(double)> f, slope;
    std::vector<double> at;
  };
  const std::vector<Row> rows = {
      {[](double x) { return std::sin(x); }, [](double x) { return std::cos(x); }, {0, 0.3, 1, 10, -2}},
      {[](double x) { return std::exp(x); }, [](double x) { return std::exp(x); }, {0, 2, 1e-9, -30, 40}},
      {[](double x) { return x * x * x; }, [](double x) { return 3 * x * x; }, {-3, 0.5, 1e3}},
      {[](double x) { return 1 / x; }, [](double x) { return -1 / (x * x); }, {1, 1e-3, -20, 1e6}},
      {[](double x) { return std::exp(-x * x); },
       [](double x) { return -2 * x * std::exp(-x * x); },
       {1, 0.1, 3, -5}},
      {[](double x) { return std::sqrt(x); }, [](double x) { return 0.5 / std::sqrt(x); }, {0.01, 1e-6, 2}},
      {[](double x) { return std::log(x); }, [](double x) { return 1 / x; }, {0.02, 1, 1e8}},
      {[](double x) { return std::atan(x); }, [](double x) { return 1 / (1 + x * x); }, {0, 1, 50}},
      {[](double x) { return std::tanh(x - 5); },
       [](double x) { return std::pow(std::cosh(x - 5), -2); },
       {5, 4, 0}},
      {[](double) { return 7.0; }, [](double) { return 0.0; }, {0, 3}},
  };
  for (std::size_t k = 0; k < rows.size(); ++k)
    for (const double unit : {1e-12, 1e-9, 1e-3, 1.0, 1e3, 1e9, 1e12})
      for (const double x : rows[k].at) {
        const auto e = derivative([&](double t) { return rows[k].f(t / unit); }, x * unit);
        const double expected = rows[k].slope(x), value = e.value * unit, error = e.error * unit;
        CAPTURE(k, unit, x, value, expected, error, e.evaluations);
        CHECK(std::fabs(value - expected) <= error + 4e-16 * std::fabs(expected));
        if (expected != 0) CHECK(error <= 1e-7 * (std::fabs(expected) + 1e-6 * std::fabs(rows[k].f(x))));
        CHECK(e.evaluations < 700);
      }
}

TEST_CASE("derivatives of oscillating and stepped functions are those at the point") {
  std::mt19937_64 random(25);
  const auto uniform = [&](double a, double b) { return std::uniform_real_distribution<>(a, b)(random); };
  int wrong = 0, vague = 0;
  constexpr int count = 400;
  for (int round = 0; round < count; ++round) {
    const double x = (random() % 2 ? 1 : -1) * std::pow(10, uniform(-3, 4)), a = uniform(0.1, 3),
                 w = std::pow(10, uniform(-1, 3)), unit = std::pow(10, uniform(-12, 12));
    struct Case {
      std::function<double(double)> f;
      double slope, scale;
    };
    const std::vector<Case> cases = {
        {[=](double t) { return t + a * std::sin(w * t); }, 1 + a * w * std::cos(w * x), 1 + a * w},
        {[=](double t) { return std::sin(2 * std::numbers::pi * 50 * t); },
         100 * std::numbers::pi * std::cos(100 * std::numbers::pi * x), 100 * std::numbers::pi},
        {[=](double t) { return std::floor(w * t); }, 0, 0},
        {[=](double t) { return std::exp(a * t / (1 + std::fabs(x))); },
         a / (1 + std::fabs(x)) * std::exp(a * x / (1 + std::fabs(x))), 0},
        {[=](double t) { return std::floor(t) + std::pow(t - std::floor(t), 2); }, 2 * (x - std::floor(x)),
         1},
    };
    for (std::size_t k = 0; k < cases.size(); ++k) {
      const auto& c = cases[k];
      const auto e = derivative([&](double t) { return c.f(t / unit); }, x * unit);
      const double off = std::fabs(e.value * unit - c.slope);
      // The closed form rounds its own argument.
      const double rounding = 4e-16 * c.scale * (1 + w * std::fabs(x)) + 4e-16 * std::fabs(c.slope) +
                              1e-13 * c.scale * std::fabs(x);
      if (!(off <= e.error * unit + rounding)) {
        ++wrong;
        UNSCOPED_INFO("case " << k << " x " << x << " w " << w << " unit " << unit << " value "
                              << e.value * unit << " ± " << e.error * unit << " for " << c.slope);
      }
      vague += e.error * unit > 1e-3 * (std::fabs(c.slope) + c.scale + std::fabs(c.f(x) / x));
    }
  }
  CHECK(wrong <= count * 5 / 500);
  CHECK(vague <= count * 5 / 50);
}

TEST_CASE("derivatives at the end of a domain go to one side, and kinks are reported") {
  const auto one_sided = derivative([](double x) { return x < 0 ? NAN : x * std::sqrt(x) + 3 * x; }, 0);
  CHECK(std::fabs(one_sided.value - 3) <= one_sided.error);
  CHECK(one_sided.error < 1e-2);
  const auto smooth = derivative([](double x) { return x > 1 ? NAN : std::exp(x); }, 1);
  CHECK(std::fabs(smooth.value - std::exp(1.0)) <= smooth.error);
  CHECK(smooth.error < 1e-6);
  const auto kink = derivative([](double x) { return std::fabs(x - 1); }, 1);
  CHECK(kink.error > 0.9);
  CHECK_THROWS_AS(derivative([](double x) { return std::log(x); }, -1), Error);
  CHECK_THROWS_AS(derivative([](double x) { return std::sqrt(x); }, 0), Error);
  // Noise of the function itself is reported.
  const auto fast = derivative([](double x) { return std::sin(1e12 * x); }, 1);
  CHECK(std::fabs(fast.value - 1e12 * std::cos(1e12)) <= fast.error);
  CHECK_THROWS_AS(derivative([](double x) { return x == 2 ? 1 : NAN; }, 2), Error);
}

TEST_CASE("roots from brackets and from a start") {
  const RealFunction cubic = [](double x) { return (x - 1) * (x - 2.5) * (x + 4); };
  CHECK(find_root(cubic, 2, 7).value == Approx(2.5).epsilon(1e-14));
  CHECK(find_root(cubic, 1, 2).value == 1);
  CHECK(find_root(cubic, 3, 2).value == Approx(2.5));
  CHECK(find_root_near(cubic, -3).value == Approx(-4));
  CHECK(find_root_near([](double x) { return x - 1000; }, 0).value == Approx(1000));
  CHECK(find_root_near([](double x) { return std::log(x) + 5; }, 1).value == Approx(std::exp(-5.0)));
  CHECK_THROWS_AS(find_root([](double x) { return x * x + 1; }, -1, 1), Error);
  CHECK_THROWS_AS(find_root_near([](double x) { return x * x + 1; }, 0), Error);
  CHECK_THROWS_AS(find_root(cubic, -kInf, 0), Error);
}

TEST_CASE("roots where an end has no value, and what only looks like a root") {
  CHECK(find_root([](double x) { return std::log(x); }, 0, 5).value == Approx(1).epsilon(1e-14));
  CHECK(find_root([](double x) { return std::log(x); }, -1e-9, 5).value == Approx(1).epsilon(1e-14));
  CHECK(find_root([](double x) { return std::sqrt(x) - 0.3; }, -0.01, 1).value == Approx(0.09));
  CHECK_THROWS_AS(find_root([](double x) { return 1 / (x - 0.3); }, 0, 1), Error);
  CHECK_THROWS_AS(find_root([](double x) { return std::tan(x); }, 1, 2.5), Error);
  CHECK_FALSE(find_root([](double x) { return std::pow(x - 0.3, 3); }, 0, 1).is_jump);
  CHECK_FALSE(find_root([](double x) { return std::cbrt(x - 0.3); }, 0, 1).is_jump);
  CHECK(find_root([](double x) { return x < 0.3 ? -1 : 1; }, 0, 1).is_jump);
  const auto far = find_root([](double x) { return std::exp(x) - 1e-200; }, -1000, 1000);
  CHECK(far.value == Approx(std::log(1e-200)));
}

TEST_CASE("roots of systems in any unit, with their residual") {
  const auto solve = [](const VectorFunction& f, std::vector<double> start) {
    return find_root(f, {}, start, 10000);
  };
  // Powell's badly scaled pair, a helical valley, and a broad one of many unknowns.
  const auto scaled = solve(
      [](std::span<const double> x, std::span<double> y) {
        y[0] = 1e4 * x[0] * x[1] - 1;
        y[1] = std::exp(-x[0]) + std::exp(-x[1]) - 1.0001;
      },
      {0, 1});
  CHECK(scaled.at[0] == Approx(1.098159e-5).epsilon(1e-5));
  CHECK(scaled.at[1] == Approx(9.106146));
  for (const double unit : {1e-12, 1.0, 1e12}) {
    const auto circle = solve(
        [&](std::span<const double> x, std::span<double> y) {
          y[0] = (x[0] * x[0] + x[1] * x[1]) / (unit * unit) - 25;
          y[1] = x[0] / unit - 2 * x[1] / unit + 2;
        },
        {5 * unit, 1 * unit});
    CHECK(std::hypot(circle.at[0], circle.at[1]) == Approx(5 * unit).epsilon(1e-13));
    CHECK(circle.error[0] < 1e-12 * unit);
    CHECK(std::fabs(circle.residual[0]) < 1e-12);
  }
  const auto broad = solve(
      [](std::span<const double> x, std::span<double> y) {
        for (std::size_t k = 0; k < x.size(); ++k) {
          y[k] = (3 - 2 * x[k]) * x[k] + 1;
          if (k > 0) y[k] -= x[k - 1];
          if (k + 1 < x.size()) y[k] -= 2 * x[k + 1];
        }
      },
      std::vector<double>(20, -1));
  for (const double r : broad.residual) CHECK(std::fabs(r) < 1e-12);
  // No root, and functions without an end.
  CHECK_THROWS_AS(solve([](std::span<const double> x, std::span<double> y) { y[0] = x[0] * x[0] + 1; }, {1}),
                  Error);
  CHECK_THROWS_AS(solve([](std::span<const double>, std::span<double> y) { y[0] = NAN; }, {1}), Error);
  CHECK_THROWS_AS(
      find_root([](std::span<const double> x, std::span<double> y) { y[0] = x[0] - 5; }, {}, {1}, 2), Error);
}

TEST_CASE("minima of many coordinates, in bounds, under constraints") {
  const auto sphere = [](std::span<const double> p) {
    double s = 0;
    for (const double x : p) s += x * x;
    return s;
  };
  const auto many = minimize(sphere, std::vector<double>(30, 3.0), {});
  CHECK(many.value < 1e-12);
  CHECK(many.converged);
  CHECK(many.method == "lbfgs");
  const auto valleys = [](std::span<const double> p) {
    double s = 0;
    for (std::size_t k = 0; k + 1 < p.size(); ++k)
      s += 100 * std::pow(p[k + 1] - p[k] * p[k], 2) + std::pow(1 - p[k], 2);
    return s;
  };
  const auto deep = minimize(valleys, std::vector<double>(20, -1.2), {});
  CHECK(deep.evaluations < 50000);
  for (const double x : deep.at) CHECK(x == Approx(1).margin(1e-4));
  for (const double unit : {1e-9, 1e9}) {
    const auto small = minimize(
        [&](std::span<const double> p) {
          return std::pow(p[0] / unit - 3, 2) + std::pow(p[1] / unit + 2, 2) + std::pow(p[0] / unit, 4);
        },
        {unit, unit}, {});
    CHECK(small.at[1] == Approx(-2 * unit).epsilon(1e-5));
  }
  // A kink is left to the simplex.
  const auto kink = minimize(
      [](std::span<const double> p) { return std::fabs(p[0] - 1) + std::fabs(p[1] + p[0]); }, {4, 4}, {});
  CHECK(kink.at[0] == Approx(1).margin(1e-5));
  CHECK(kink.at[1] == Approx(-1).margin(1e-5));
  MinimizeOptions bounded;
  bounded.low = {2, -1};
  bounded.high = {5, 1};
  for (const auto method : {MinimizeMethod::automatic, MinimizeMethod::lbfgs, MinimizeMethod::nelder_mead,
                            MinimizeMethod::bobyqa, MinimizeMethod::slsqp, MinimizeMethod::random_search}) {
    bounded.method = method;
    const auto edge = minimize(sphere, {4, 0.5}, bounded);
    CAPTURE(static_cast<int>(method));
    CHECK(edge.at[0] == Approx(2).margin(1e-5));
    CHECK(edge.at[1] == Approx(0).margin(1e-4));
  }
  MinimizeOptions on_line;
  on_line.equal = [](std::span<const double> p, std::span<double> out) { out[0] = p[0] + 2 * p[1] - 5; };
  on_line.equal_count = 1;
  const auto foot = minimize(sphere, {0, 0}, on_line);
  CHECK(foot.at[0] == Approx(1).margin(1e-6));
  CHECK(foot.at[1] == Approx(2).margin(1e-6));
  CHECK(foot.method == "slsqp");
  // A global search among many hollows.
  MinimizeOptions anywhere;
  anywhere.low = {-5, -5};
  anywhere.high = {5, 5};
  anywhere.method = MinimizeMethod::random_search;
  const auto hollows = [](std::span<const double> p) {
    double s = 20;
    for (const double x : p) s += x * x - 10 * std::cos(2 * pi * x);
    return s;
  };
  const auto global = minimize(hollows, {3.3, -4.1}, anywhere);
  CHECK(global.value < 1e-8);
  CHECK(minimize(hollows, {3.3, -4.1}, anywhere).at == global.at);
  CHECK_THROWS_AS(minimize([](std::span<const double> p) { return -p[0] * p[0]; }, {1}, {}), Error);
  MinimizeOptions few;
  few.limit = 20;
  CHECK_FALSE(minimize(valleys, std::vector<double>(5, -1.2), few).converged);
}

TEST_CASE("minima in an interval and near a point") {
  const auto m = minimize([](double x) { return std::cos(x); }, 2, 5);
  CHECK(m.at[0] == Approx(pi).margin(1e-7));
  CHECK(m.value == Approx(-1));
  // Rosenbrock's curved valley, and a sum of squares in four coordinates.
  const auto valley = minimize(
      [](std::span<const double> p) { return 100 * std::pow(p[1] - p[0] * p[0], 2) + std::pow(1 - p[0], 2); },
      {-1.2, 1}, {});
  CHECK(valley.converged);
  CHECK(valley.at[0] == Approx(1).margin(1e-5));
  CHECK(valley.at[1] == Approx(1).margin(1e-5));
  const auto bowl = minimize(
      [](std::span<const double> p) {
        double s = 0;
        for (std::size_t k = 0; k < p.size(); ++k)
          s += std::pow(p[k] - static_cast<double>(k), 2) * static_cast<double>(k + 1);
        return s;
      },
      {5, 5, 5, 5}, {});
  for (std::size_t k = 0; k < 4; ++k) CHECK(bowl.at[k] == Approx(k).margin(1e-5));
  CHECK_THROWS_AS(minimize([](double x) { return x; }, 1, 0), Error);
  CHECK_THROWS_AS(minimize([](std::span<const double>) { return NAN; }, {1.0}, {}), Error);
}

TEST_CASE("running integrals end in the integral, and have second order") {
  double before = 0;
  for (const Index n : {Index{21}, Index{41}, Index{81}}) {
    const auto x = range(0, 2, n);
    const auto y = apply(Unary::exp, x);
    const auto sums = cumulative_integral(x, y, 0);
    CHECK(sums.at<double>({0}) == 0);
    CHECK(sums.at<double>({n - 1}) ==
          Approx(*integrate_samples(x, y, SampleRule::trapezoid, 0).data<double>()));
    const double error = largest_difference(sums, apply(Binary::subtract, y, 1.0));
    if (before > 0) CHECK(before / error == Approx(4).epsilon(0.02));
    before = error;
  }
  // Along the second axis of a matrix.
  const auto x = Array::vector(std::vector<double>{0, 1, 3});
  const auto y = Array::of<double>({2, 3}, std::vector<double>{2, 4, 4, 1, 1, 1});
  CHECK(cumulative_integral(x, y, 1).to_vector<double>() == std::vector<double>{0, 3, 11, 0, 1, 3});
  CHECK_THROWS_AS(cumulative_integral(x, y, 0), Error);
}

TEST_CASE("gradients of samples are exact for parabolas and of second order to the ends") {
  const auto uneven = Array::vector(std::vector<double>{0, 0.5, 2, 2.25, 4});
  const auto parabola = apply(Binary::multiply, uneven, uneven);
  CHECK(largest_difference(gradient(parabola, uneven, 0), apply(Binary::multiply, uneven, 2.0)) < 1e-13);
  double before = 0;
  for (const Index n : {Index{41}, Index{81}, Index{161}}) {
    const auto x = range(0, 2, n);
    const double error = largest_difference(gradient(apply(Unary::sin, x), x, 0), apply(Unary::cos, x));
    if (before > 0) CHECK(std::log2(before / error) == Approx(2).margin(0.1));
    before = error;
  }
  CHECK(gradient(Array::vector(std::vector<double>{1, 3}), Array::vector(std::vector<double>{0, 2}), 0)
            .to_vector<double>() == std::vector<double>{1, 1});
  CHECK_THROWS_AS(gradient(parabola, apply(Binary::multiply, uneven, 0.0), 0), Error);
  CHECK_THROWS_AS(gradient(Array::vector(std::vector<double>{1}), Array::vector(std::vector<double>{0}), 0),
                  Error);
}
