// Integrals, derivatives, roots and minima against closed forms, and the orders of the rules for samples.
#include "numerics/calculus.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "numerics/integration.h"
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
        CHECK(e.evaluations < 120);
      }
}

TEST_CASE("derivatives at the end of a domain go to one side, and kinks are told") {
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
  // Noise of the function itself is told.
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

TEST_CASE("minima in an interval and near a point") {
  const auto m = minimize([](double x) { return std::cos(x); }, 2, 5);
  CHECK(m.at[0] == Approx(pi).margin(1e-7));
  CHECK(m.value == Approx(-1));
  // Rosenbrock's curved valley, and a sum of squares in four coordinates.
  const auto valley = minimize(
      [](std::span<const double> p) { return 100 * std::pow(p[1] - p[0] * p[0], 2) + std::pow(1 - p[0], 2); },
      {-1.2, 1});
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
      {5, 5, 5, 5});
  for (std::size_t k = 0; k < 4; ++k) CHECK(bowl.at[k] == Approx(k).margin(1e-5));
  CHECK_THROWS_AS(minimize([](double x) { return x; }, 1, 0), Error);
  CHECK_THROWS_AS(minimize([](std::span<const double>) { return NAN; }, {1.0}), Error);
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
