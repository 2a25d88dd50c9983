#include "numerics/polynomial.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "array/elementwise.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

double at(const Polynomial& p, double x) { return p.at(Array::single(x)).data<double>()[0]; }

Polynomial from_roots(const std::vector<double>& roots) {
  Polynomial p({1});
  for (const double r : roots) p = p * Polynomial({1, -r});
  return p;
}

}  // namespace

TEST_CASE("polynomials obey the laws of a ring and of calculus") {
  Random random(61);
  std::uniform_real_distribution<double> real(-2, 2);
  const auto any = [&](int degree) {
    std::vector<double> c;
    for (int k = 0; k <= degree; ++k) c.push_back(real(random));
    return Polynomial(c);
  };
  for (int trial = 0; trial < 100; ++trial) {
    const auto p = any(trial % 6), q = any(trial % 4);
    const double x = real(random), h = 1e-6;
    CHECK(at(p + q, x) == Approx(at(p, x) + at(q, x)).margin(1e-12));
    CHECK(at(p * q, x) == Approx(at(p, x) * at(q, x)).margin(1e-11));
    CHECK((p * q).degree() == p.degree() + q.degree());
    CHECK(at(p.derivative(), x) == Approx((at(p, x + h) - at(p, x - h)) / (2 * h)).margin(1e-6));
    CHECK(at(p.integral().derivative(), x) == Approx(at(p, x)).margin(1e-12));
    CHECK(at(p.integral(), 0) == 0);
  }
  CHECK((Polynomial({1, 2}) + Polynomial({-1, 3})).degree() == 0);
  CHECK(Polynomial({0, 0, 3}).coefficients() == std::vector<double>{3});
  CHECK_THROWS_AS(Polynomial({}), Error);
  CHECK_THROWS_AS(Polynomial({1, NAN}), Error);
}

TEST_CASE("roots make the polynomial zero, with their multiplicity") {
  CHECK(from_roots({3, -1, 0.5}).roots().to_vector<double>() == std::vector<double>{-1, 0.5, 3});
  CHECK(from_roots({0, 0, 2}).roots().to_vector<double>() == std::vector<double>{0, 0, 2});
  CHECK(Polynomial({5}).roots().size() == 0);
  const auto circle = Polynomial({1, 0, 0, 0, 0, -1}).roots();
  CHECK(circle.type() == ElementType::complex128);
  for (const auto z : circle.to_vector<Complex>()) CHECK(std::abs(std::pow(z, 5) - 1.0) < 1e-14);
  std::vector<double> twelve;
  for (int k = 1; k <= 12; ++k) twelve.push_back(k);
  const auto found = from_roots(twelve).roots().converted(ElementType::float64).to_vector<double>();
  for (std::size_t k = 0; k < 12; ++k) CHECK(found[k] == Approx(twelve[k]).epsilon(1e-5));
  for (const auto z : from_roots({1, 1, 1}).roots().converted(ElementType::complex128).to_vector<Complex>())
    CHECK(std::abs(z - 1.0) < 1e-4);
}

TEST_CASE("polynomials are written as one writes them") {
  CHECK(Polynomial({2, 0, -1, 1}).text(5) == "2*x^3 - x + 1");
  CHECK(Polynomial({-1, 1.5}).text(5) == "-x + 1.5");
  CHECK(Polynomial({0}).text(5) == "0");
  CHECK(Polynomial({-1}).text(5) == "-1");
}

TEST_CASE("roots of very different sizes, and in units near the ends of the range") {
  const auto product = [](const std::vector<double>& roots) {
    Polynomial p({1});
    for (const double r : roots) p = p * Polynomial({1, -r});
    return p;
  };
  for (const auto& roots : std::vector<std::vector<double>>{{1e-12, 1, 1e12},
                                                            {-1e20, 1e-20, 3},
                                                            {1e-60, 2e-60, 5e-60},
                                                            {1e60, 2e60, 4e60},
                                                            {-1e10, -2e10, 1e-3, 2e-3, 7}}) {
    auto expected = roots;
    std::sort(expected.begin(), expected.end());
    const auto found = product(roots).roots();
    REQUIRE(found.type() == ElementType::float64);
    for (std::size_t k = 0; k < expected.size(); ++k)
      CHECK(found.at<double>({static_cast<Index>(k)}) == Approx(expected[k]).epsilon(1e-9).margin(0));
  }
  // x^2 = -1e100, a pair.
  const auto pair = Polynomial({1e-100, 0, 1}).roots();
  CHECK(pair.at<Complex>({0}).imag() == Approx(-1e50));
  CHECK(std::fabs(pair.at<Complex>({0}).real()) < 1e36);
}
