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

TEST_CASE("derivatives are right to nearly all digits, and say so") {
  const auto check = [](const RealFunction& f, double x, double expected) {
    const auto e = derivative(f, x);
    CHECK(e.value == Approx(expected).epsilon(1e-10));
    CHECK(std::fabs(e.value - expected) < 1e-9 * (1 + std::fabs(expected)));
    CHECK(e.error < 1e-8);
  };
  check([](double x) { return std::sin(x); }, 1, std::cos(1.0));
  check([](double x) { return std::exp(x); }, 2, std::exp(2.0));
  check([](double x) { return x * x * x; }, -3, 27);
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
