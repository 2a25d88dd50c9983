// Matrices with many more rows than columns, factored by blocks of rows.
#include "numerics/tall.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "base/parallel.h"
#include "numerics/fitting.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"

using namespace quill;

namespace {

Array random_matrix(Index rows, Index columns, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Array out(ElementType::float64, {rows, columns});
  for (Index k = 0; k < out.size(); ++k) out.mutable_data<double>()[k] = normal(random);
  return out;
}

double largest_difference(const Array& a, const Array& b) {
  const auto off = apply(Unary::abs, apply(Binary::subtract, a, b)).to_vector<double>();
  return *std::max_element(off.begin(), off.end());
}

Array conj_transposed(const Array& a) {
  return a.type() == ElementType::complex128 ? apply(Unary::conj, a.transposed()) : a.transposed();
}

}  // namespace

TEST_CASE("tall matrices have orthonormal columns and a triangle, of all sizes and types") {
  for (const auto& [rows, columns] : std::vector<std::pair<Index, Index>>{
           {2000, 1}, {2001, 7}, {70000, 1}, {66000, 3}, {13107, 10}, {13109, 10}, {100000, 10}, {3000, 150}})
    for (const bool is_complex : {false, true}) {
      auto a = random_matrix(rows, columns, 3);
      if (is_complex)
        a = apply(
            Binary::add, a,
            apply(Binary::multiply, random_matrix(rows, columns, 4), Array::filled<Complex>({}, {0, 1})));
      CAPTURE(rows, columns, is_complex);
      REQUIRE(is_tall(rows, columns));
      const auto f = qr_factors(a);
      CHECK(largest_difference(matrix_product(f.q, f.r), a) < 1e-12);
      CHECK(largest_difference(matrix_product(conj_transposed(f.q), f.q), identity(columns)) < 1e-13);
      const auto triangle = f.r.converted(ElementType::complex128).to_vector<Complex>();
      for (Index i = 0; i < columns; ++i)
        for (Index k = 0; k < i; ++k)
          if (triangle[static_cast<std::size_t>(i * columns + k)] != Complex(0))
            FAIL_CHECK("below the diagonal");
    }
}

TEST_CASE("the factors of a tall matrix have the same bits with every number of threads") {
  const auto a = random_matrix(60000, 8, 9);
  const int threads = thread_count();
  set_thread_count(1);
  const auto one = qr_factors(a);
  set_thread_count(4);
  const auto four = qr_factors(a);
  set_thread_count(threads);
  CHECK(one.q.to_vector<double>() == four.q.to_vector<double>());
  CHECK(one.r.to_vector<double>() == four.r.to_vector<double>());
}

TEST_CASE("singular values, ranks and least squares of tall matrices agree with those of their square") {
  auto a = random_matrix(90000, 6, 11);
  // The last column depends on others.
  for (Index r = 0; r < a.extent(0); ++r)
    a.mutable_data<double>()[r * 6 + 5] = a.data<double>()[r * 6] - 2 * a.data<double>()[r * 6 + 1];
  CHECK(rank(a) == 5);
  CHECK(condition_number(a) > 1e14);
  const auto parts = singular_values(a);
  const auto squares = eigenvalues(matrix_product(a.transposed(), a)).to_vector<double>();
  for (Index k = 0; k < 5; ++k)
    CHECK(parts.values.at<double>({k}) ==
          Approx(std::sqrt(squares[static_cast<std::size_t>(5 - k)])).epsilon(1e-10));
  CHECK(largest_difference(
            matrix_product(apply(Binary::multiply, parts.u, parts.values), parts.v.transposed()), a) < 1e-11);
  // Of the many solutions the shortest one.
  const auto b = matrix_product(a, Array::vector({1, 2, 3, 4, 5, 0}));
  const auto solved = least_squares(a, b);
  CHECK(solved.rank == 5);
  CHECK(*solved.residual_norm.data<double>() < 1e-9);
  CHECK(largest_difference(matrix_product(a, solved.x), b) < 1e-10);
  const auto wide = singular_values(a.transposed());
  CHECK(largest_difference(wide.values, parts.values) < 1e-10);
  CHECK(norm(matrix_product(a, null_basis(a))) < 1e-9);
}

TEST_CASE("a line and a polynomial go through 200 000 readings") {
  constexpr Index n = 200000;
  std::mt19937_64 random(17);
  std::normal_distribution<double> noise;
  Array x(ElementType::float64, {n}), y(ElementType::float64, {n});
  for (Index k = 0; k < n; ++k) {
    const double t = static_cast<double>(k) / n;
    x.mutable_data<double>()[k] = t;
    y.mutable_data<double>()[k] = 3 - 2 * t + 0.5 * noise(random);
  }
  const auto line = polynomial_fit(x, y, 1, Array());
  const auto errors = line.standard_errors();
  CHECK(std::fabs(line.coefficients[0] + 2) < 4 * errors[0]);
  CHECK(std::fabs(line.coefficients[1] - 3) < 4 * errors[1]);
  // 0.5 · sqrt(12 / n) for the slope, by the textbook.
  CHECK(errors[0] == Approx(0.5 * std::sqrt(12.0 / n)).epsilon(0.01));
  const auto model = model_fit(
      [&](std::span<const double> p) {
        std::vector<double> out(n);
        for (Index k = 0; k < n; ++k)
          out[static_cast<std::size_t>(k)] = p[0] * std::exp(-p[1] * x.data<double>()[k]);
        return out;
      },
      y, {1, 1}, {});
  CHECK(model.converged);
  CHECK(model.coefficients[0] == Approx(3).epsilon(0.1));
}
