#include <array>
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "numerics/helpers.h"
#include "numerics/integration.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/random.h"
#include "numerics/samples.h"
#include "numerics/statistics.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

// The largest sum of sizes in a column.
double column_sum(const Array& a) {
  double most = 0;
  for (Index c = 0; c < a.extent(1); ++c) {
    double sum = 0;
    for (Index r = 0; r < a.extent(0); ++r)
      sum += std::abs(a.converted(ElementType::complex128).at<Complex>({r, c}));
    most = std::max(most, sum);
  }
  return most;
}

}  // namespace

TEST_CASE("solutions of linear systems have small residuals") {
  Random random(41);
  std::uniform_real_distribution<double> real(-1, 1);
  for (const Index n : {1, 2, 5, 40, 150}) {
    Array a(ElementType::float64, {n, n}), b(ElementType::float64, {n, 3});
    for (Index k = 0; k < a.size(); ++k) a.mutable_data<double>()[k] = real(random);
    for (Index k = 0; k < b.size(); ++k) b.mutable_data<double>()[k] = real(random);
    const auto result = solve(a, b);
    const auto residual = apply(Binary::subtract, matrix_product(a, result.x), b);
    CHECK(norm(residual) < 1e-13 * static_cast<double>(n) / result.reciprocal_condition);
    CHECK(result.reciprocal_condition > 0);
    // The system given transposed in memory is the same system.
    CHECK(norm(apply(Binary::subtract, solve(a.transposed().copied().transposed(), b).x, result.x)) <
          1e-12 / result.reciprocal_condition);
  }
}

TEST_CASE(
    "triangular and positive definite systems are solved as such, with the condition of a general one") {
  Random random(43);
  std::uniform_real_distribution<double> real(-1, 1);
  for (const Index n : {1, 3, 30})
    for (const bool complex : {false, true}) {
      std::vector<Complex> g, b;
      for (Index k = 0; k < n * n; ++k) g.emplace_back(real(random), complex ? real(random) : 0);
      for (Index k = 0; k < 2 * n; ++k) b.emplace_back(real(random), complex ? real(random) : 0);
      const auto right = Array::of<Complex>({n, 2}, b);
      for (int kind = 0; kind < 4; ++kind) {
        // lower, upper, g gᴴ + 1 (positive definite), g + gᴴ (Hermitian, mostly not definite)
        std::vector<Complex> a(g.size());
        for (Index r = 0; r < n; ++r)
          for (Index c = 0; c < n; ++c) {
            auto& element = a[static_cast<std::size_t>(r * n + c)];
            const auto at = [&](Index i, Index j) { return g[static_cast<std::size_t>(i * n + j)]; };
            if (kind < 2 && (kind == 0 ? r >= c : r <= c)) element = at(r, c) + (r == c ? 2.0 : 0.0);
            if (kind == 3) element = at(r, c) + std::conj(at(c, r)) + (r == c ? 0.5 : 0.0);
            if (kind == 2) {
              element = r == c ? 1 : 0;
              for (Index j = 0; j < n; ++j) element += at(r, j) * std::conj(at(c, j));
            }
          }
        auto matrix = Array::of<Complex>({n, n}, a), b_used = right;
        if (!complex) {
          matrix = matrix.converted(ElementType::float64);
          b_used = right.converted(ElementType::float64);
        }
        const auto result = solve(matrix, b_used);
        CAPTURE(n, complex, kind);
        CHECK(norm(apply(Binary::subtract, matrix_product(matrix, result.x), b_used)) <
              1e-13 * static_cast<double>(n) / result.reciprocal_condition);
        // The inverse gives the same condition number by another route; estimates are within a small factor.
        const double condition = column_sum(matrix) * column_sum(inverse(matrix).matrix);
        CHECK(1 / result.reciprocal_condition <= condition * 1.001);
        CHECK(1 / result.reciprocal_condition > condition / 10);
      }
    }
  // A zero on the diagonal of a triangle is singular; an indefinite symmetric matrix is not.
  CHECK(message_of([] {
          solve(Array::of<double>({2, 2}, std::array<double, 4>{1, 2, 0, 0}), vector({1, 2}));
        }).rfind("the matrix is singular", 0) == 0);
  CHECK(solve(Array::of<double>({2, 2}, std::array<double, 4>{1, 2, 2, 1}), vector({3, 3}))
            .x.to_vector<double>() == std::vector<double>{1, 1});
}

TEST_CASE("complex systems are solved, and bad conditions and shapes are reported") {
  const Array a = Array::of<Complex>({2, 2}, std::array<Complex, 4>{Complex(1, 1), 2, 3, Complex(0, -1)});
  const auto x =
      solve(a, Array::of<Complex>({2}, std::array<Complex, 2>{Complex(3, 1), 3})).x.to_vector<Complex>();
  CHECK(std::abs((Complex(1, 1) * x[0] + 2.0 * x[1]) - Complex(3, 1)) < 1e-14);
  Array hilbert(ElementType::float64, {12, 12});
  for (Index i = 0; i < 12; ++i)
    for (Index j = 0; j < 12; ++j)
      hilbert.mutable_data<double>()[i * 12 + j] = 1.0 / static_cast<double>(i + j + 1);
  CHECK(solve(hilbert, Array::filled<double>({12}, 1.0)).reciprocal_condition < 1e-14);
  CHECK(message_of([] {
          solve(Array::filled<double>({2, 2}, 1.0), vector({1, 2}));
        }).find("singular") != std::string::npos);
  CHECK_THROWS_AS(solve(Array::filled<double>({2, 3}, 1.0), vector({1, 2})), Error);
  CHECK_THROWS_AS(solve(identity(2), vector({1, 2, 3})), Error);
  CHECK(message_of([] {
          solve(identity(2), vector({1, NAN}));
        }) == "the right-hand side contains nan, the first at element 2");
}

TEST_CASE("a matrix with an infinite element is refused, one with huge elements is not") {
  const auto matrix = [](std::vector<double> v) { return Array::of<double>({2, 2}, v); };
  const auto right = Array::vector(std::vector<double>{1, 2});
  CHECK_THROWS_WITH(solve(matrix({INFINITY, 1, 1, 2}), right),
                    Catch::Contains("infinite number, the first at row 1, column 1"));
  CHECK_NOTHROW(solve(matrix({1e300, 1, 1, 1e300}), right));
}

TEST_CASE("the norm neither overflows nor vanishes") {
  CHECK(norm(vector({3, 4})) == 5);
  CHECK(norm(vector({3e200, 4e200})) == Approx(5e200));
  CHECK(norm(vector({3e-200, 4e-200})) == Approx(5e-200));
  CHECK(norm(Array()) == 0);
  CHECK(std::isnan(norm(vector({1, NAN}))));
}

TEST_CASE("integrals of samples: exact for their polynomials, with their orders") {
  const auto x = vector({0, 0.3, 1, 1.2, 2.5, 3, 4});
  const auto of = [&](double (*f)(double)) {
    std::vector<double> y;
    for (const double v : x.to_vector<double>()) y.push_back(f(v));
    return vector(y);
  };
  const auto integral = [&](const Array& xs, const Array& ys, SampleRule rule) {
    return integrate_samples(xs, ys, rule, 0).to_vector<double>()[0];
  };
  CHECK(integral(x, of([](double v) { return 3 * v + 1; }), SampleRule::trapezoid) == Approx(28));
  CHECK(integral(x, of([](double v) { return v * v; }), SampleRule::simpson) == Approx(64.0 / 3));
  const auto x6 = vector({0, 0.3, 1, 1.2, 2.5, 4});  // an odd number of intervals
  std::vector<double> squares;
  for (const double v : x6.to_vector<double>()) squares.push_back(v * v);
  CHECK(integral(x6, vector(squares), SampleRule::simpson) == Approx(64.0 / 3));
  CHECK(integral(vector({4, 2, 0}), vector({16, 4, 0}), SampleRule::simpson) == Approx(-64.0 / 3));
  const auto error_at = [&](Index n, SampleRule rule) {
    return std::fabs(integral(sampled(0, 2, n, [](double v) { return v; }),
                              sampled(0, 2, n, [](double v) { return std::exp(v); }), rule) -
                     (std::exp(2) - 1));
  };
  CHECK(std::log2(error_at(33, SampleRule::trapezoid) / error_at(65, SampleRule::trapezoid)) ==
        Approx(2).margin(0.05));
  CHECK(std::log2(error_at(33, SampleRule::simpson) / error_at(65, SampleRule::simpson)) ==
        Approx(4).margin(0.05));
  CHECK(std::log2(error_at(34, SampleRule::simpson) / error_at(66, SampleRule::simpson)) > 3.5);
  CHECK_THROWS_AS(integral(vector({0, 1, 1}), vector({1, 1, 1}), SampleRule::trapezoid), Error);
  CHECK_THROWS_AS(integral(vector({0, 1}), vector({1, 1, 1}), SampleRule::trapezoid), Error);
  // Along either axis of a matrix.
  Array m(ElementType::float64, {3, 2});
  for (Index k = 0; k < 6; ++k) m.mutable_data<double>()[k] = static_cast<double>(k);
  CHECK(integrate_samples(vector({0, 1, 2}), m, SampleRule::trapezoid, 0).to_vector<double>() ==
        std::vector<double>{4, 6});
  CHECK(integrate_samples(vector({0, 2}), m, SampleRule::trapezoid, 1).to_vector<double>() ==
        std::vector<double>{1, 5, 9});
}

TEST_CASE("statistics agree with their definitions") {
  Random random(77);
  std::normal_distribution<double> normal(1e6, 1);
  std::vector<double> v;
  for (int k = 0; k < 999; ++k) v.push_back(normal(random));
  const auto a = vector(v);
  long double sum = 0, squares = 0;
  for (const double x : v) sum += x;
  const long double m = sum / v.size();
  for (const double x : v) squares += (x - m) * (x - m);
  const auto value = [](const Array& r) { return *r.data<double>(); };
  CHECK(value(mean(a, {})) == Approx(static_cast<double>(m)).epsilon(1e-14));
  CHECK(value(variance(a, {})) == Approx(static_cast<double>(squares / (v.size() - 1))).epsilon(1e-11));
  CHECK(value(standard_deviation(a, {})) == Approx(std::sqrt(value(variance(a, {})))));
  std::sort(v.begin(), v.end());
  CHECK(value(quantile(a, 0.5, {})) == v[499]);
  CHECK(value(quantile(a, 0, {})) == v.front());
  CHECK(value(quantile(a, 1, {})) == v.back());
  CHECK(value(quantile(vector({4, 1, 3, 2}), 0.5, {})) == 2.5);
  CHECK_THROWS_AS(quantile(a, 1.5, {}), Error);
  CHECK_THROWS_AS(mean(Array(), {}), Error);
  const auto holed = vector({1, NAN, 3});
  CHECK(std::isnan(value(mean(holed, {}))));
  CHECK(value(mean(holed, {{}, true})) == 2);
  CHECK(value(reduce_without_nan(Reduction::maximum, holed, {})) == 3);
  CHECK(std::isnan(value(variance(vector({1}), {}))));
}

TEST_CASE("streams have numbers of their own that depend on the seed and their number alone") {
  RandomStream a(7), b(7);
  a.uniform({100});
  const auto first = a.stream(1).uniform({50}).to_vector<double>();
  CHECK(b.stream(1).uniform({50}).to_vector<double>() == first);
  CHECK(b.stream(2).uniform({50}).to_vector<double>() != first);
  CHECK(RandomStream(8).stream(1).uniform({50}).to_vector<double>() != first);
  // No relation between neighbouring streams.
  const auto x = b.stream(3).normal({20000}).to_vector<double>(),
             y = b.stream(4).normal({20000}).to_vector<double>();
  double product = 0;
  for (std::size_t k = 0; k < x.size(); ++k) product += x[k] * y[k];
  CHECK(std::fabs(product / 20000) < 4 / std::sqrt(20000));
}

TEST_CASE("random numbers are reproducible and have their moments") {
  RandomStream one(7), two(7), other(8);
  const auto a = one.normal({20000}), b = two.normal({20000});
  CHECK(a.to_vector<double>() == b.to_vector<double>());
  CHECK(other.normal({3}).to_vector<double>() != a.to_vector<double>());
  const auto value = [](const Array& r) { return *r.data<double>(); };
  CHECK(std::fabs(value(mean(a, {}))) < 0.03);
  CHECK(value(standard_deviation(a, {})) == Approx(1).epsilon(0.02));
  const auto u = one.uniform({20000});
  CHECK(value(mean(u, {})) == Approx(0.5).margin(0.01));
  CHECK(value(reduce(Reduction::minimum, u)) >= 0);
  CHECK(value(reduce(Reduction::maximum, u)) < 1);
  const auto w = one.whole(-2, 3, {6000});
  for (int k = -2; k <= 3; ++k) {
    const auto share = reduce(Reduction::sum, apply(Binary::equal, w, static_cast<double>(k)));
    CHECK(*share.data<Index>() == Approx(1000).margin(150));
  }
  CHECK_THROWS_AS(one.whole(3, 1, {1}), Error);
  CHECK_THROWS_AS(one.whole(0.5, 1, {1}), Error);
}

TEST_CASE("equations in any units are solved without a cry") {
  // A well conditioned system whose equations and unknowns are measured in very different units.
  const double well[3][3] = {{4, 1, 2}, {1, 5, -1}, {2, -1, 3}}, x[3] = {1, -2, 3};
  for (const bool symmetric : {true, false}) {
    const double row_units[] = {1e-12, 1, 1e9}, column_units[] = {1e8, 1e-10, 1};
    Array a(ElementType::float64, {3, 3}), b(ElementType::float64, {3});
    for (Index r = 0; r < 3; ++r) {
      double sum = 0;
      for (Index c = 0; c < 3; ++c) {
        const double unit = row_units[r] * (symmetric ? row_units[c] : column_units[c]);
        a.mutable_data<double>()[3 * r + c] = well[r][c] * unit;
        sum += well[r][c] * x[c];
      }
      b.mutable_data<double>()[r] = sum * row_units[r];
    }
    const auto solution = solve(a, b);
    CHECK(solution.reciprocal_condition > 1e-3);
    for (Index c = 0; c < 3; ++c)
      CHECK(solution.x.at<double>({c}) * (symmetric ? row_units[c] : column_units[c]) ==
            Approx(x[c]).epsilon(1e-13));
  }
}

TEST_CASE("statistics of numbers near the ends of the range") {
  for (const double unit : {1e307, 1e-300}) {
    const auto v = Array::vector(std::vector<double>{1 * unit, 5 * unit, 9 * unit, 17 * unit});
    CHECK(*mean(v, {}).data<double>() == Approx(8 * unit).epsilon(1e-14).margin(0));
    CHECK(*standard_deviation(v, {}).data<double>() ==
          Approx(std::sqrt(140.0 / 3) * unit).epsilon(1e-13).margin(0));
    CHECK(*quantile(v, 0.5, {}).data<double>() == Approx(7 * unit).epsilon(1e-14).margin(0));
    Array pairs(ElementType::float64, {4, 2});
    for (Index k = 0; k < 4; ++k) {
      pairs.mutable_data<double>()[2 * k] = v.at<double>({k});
      pairs.mutable_data<double>()[2 * k + 1] = -3 + static_cast<double>(k * k);
    }
    const auto small = correlation(pairs).at<double>({0, 1});
    for (Index k = 0; k < 4; ++k) pairs.mutable_data<double>()[2 * k] /= unit;
    CHECK(small == Approx(correlation(pairs).at<double>({0, 1})).epsilon(1e-12));
  }
  CHECK(*quantile(Array::vector(std::vector<double>{-1.5e308, 1.5e308}), 0.5, {}).data<double>() == 0);
  CHECK(*quantile(Array::vector(std::vector<double>{-1.5e308, 1.5e308}), 0.75, {}).data<double>() ==
        Approx(0.75e308));
}
