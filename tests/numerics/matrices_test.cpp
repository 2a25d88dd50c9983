// Factors, eigenvalues and functions of matrices: residuals, identities and closed forms, real and complex.
#include "numerics/matrices.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <numbers>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "numerics/linear_algebra.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

Array random_matrix(Random& random, Index m, Index n, bool complex) {
  const auto normal = [&] { return std::normal_distribution<double>()(random); };
  Array out(complex ? ElementType::complex128 : ElementType::float64, {m, n});
  for (Index k = 0; k < out.size(); ++k) {
    if (complex)
      out.mutable_data<Complex>()[k] = {normal(), normal()};
    else
      out.mutable_data<double>()[k] = normal();
  }
  return out;
}

Array adjoint(const Array& a) {
  return a.type() == ElementType::complex128 ? apply(Unary::conj, a.transposed()) : a.transposed();
}

double distance(const Array& a, const Array& b) { return norm(apply(Binary::subtract, a, b)); }

Array matrix(std::initializer_list<std::initializer_list<double>> rows) {
  std::vector<double> values;
  for (const auto& row : rows) values.insert(values.end(), row.begin(), row.end());
  return Array::of<double>({static_cast<Index>(rows.size()), static_cast<Index>(rows.begin()->size())},
                           values);
}

constexpr double kClose = 1e-12;

}  // namespace

TEST_CASE("factors multiply to the matrix, and have their form") {
  Random random(51);
  for (int round = 0; round < 60; ++round) {
    const Index m = pick(random, 1, 7), n = pick(random, 1, 7), k = std::min(m, n);
    const auto a = random_matrix(random, m, n, round % 2);
    CAPTURE(m, n, round);
    const auto lu = lu_factors(a);
    CHECK(lu.lower.shape() == Shape{m, k});
    const Subscript rows[] = {positions_subscript(lu.permutation, m, 0, 2), everything(n)};
    CHECK(distance(matrix_product(lu.lower, lu.upper), select(a, rows)) < kClose);
    const auto qr = qr_factors(a);
    CHECK(distance(matrix_product(qr.q, qr.r), a) < kClose);
    CHECK(distance(matrix_product(adjoint(qr.q), qr.q), identity(k)) < kClose);
    for (Index r = 1; r < k; ++r)
      for (Index c = 0; c < r; ++c)
        CHECK(std::abs(qr.r.converted(ElementType::complex128).at<Complex>({r, c})) == 0);
    const auto s = singular_values(a);
    CHECK(distance(matrix_product(apply(Binary::multiply, s.u, across(s.values)), adjoint(s.v)), a) < kClose);
    for (Index i = 1; i < k; ++i) CHECK(s.values.at<double>({i}) <= s.values.at<double>({i - 1}));
    // The Frobenius norm is the length of the singular values; the spectral norm the largest.
    CHECK(norm(a) == Approx(norm(s.values)));
    CHECK(norm(a, 2) == Approx(s.values.at<double>({0})));
    // A A* + 1 is positive definite.
    const auto definite = apply(Binary::add, matrix_product(a, adjoint(a)), identity(m));
    const auto lower = cholesky(definite);
    CHECK(distance(matrix_product(lower, adjoint(lower)), definite) < 1e-11);
  }
}

TEST_CASE(
    "eigenvalues and vectors satisfy their equation; sums and products agree with trace and determinant") {
  Random random(52);
  for (int round = 0; round < 60; ++round) {
    const Index n = pick(random, 1, 7);
    auto a = random_matrix(random, n, n, round % 2);
    const bool hermitian = round % 3 == 0;
    if (hermitian) a = apply(Binary::add, a, adjoint(a));
    CAPTURE(n, round);
    const auto e = eigen_parts(a);
    CHECK(e.values.type() == (hermitian ? ElementType::float64 : e.values.type()));
    CHECK(distance(matrix_product(a, e.vectors), apply(Binary::multiply, e.vectors, across(e.values))) <
          1e-11);
    CHECK(distance(eigenvalues(a), e.values) < 1e-10);
    const auto as_complex = [](const Array& x) {
      return *x.converted(ElementType::complex128).data<Complex>();
    };
    const auto sum = as_complex(reduce(Reduction::sum, e.values)),
               trace = as_complex(reduce(Reduction::sum, diagonal(a)));
    CHECK(std::abs(sum - trace) < 1e-11);
    const auto product = as_complex(reduce(Reduction::product, e.values)), det = as_complex(determinant(a));
    CHECK(std::abs(product - det) < 1e-10 * (1 + std::abs(det)));
    if (hermitian) {
      CHECK(distance(matrix_product(adjoint(e.vectors), e.vectors), identity(n)) < kClose);
      for (Index k = 1; k < n; ++k) CHECK(e.values.at<double>({k}) >= e.values.at<double>({k - 1}));
    }
    const auto inverse_of = inverse(a);
    CHECK(distance(matrix_product(a, inverse_of.matrix), identity(n)) <
          1e-11 / inverse_of.reciprocal_condition);
  }
  // Known ones: the second difference has 2 - 2 cos(kπ/(n+1)).
  const Index n = 6;
  Array second = apply(Binary::multiply, identity(n), 2.0);
  for (Index k = 0; k + 1 < n; ++k) {
    second.mutable_data<double>()[k * n + k + 1] = -1;
    second.mutable_data<double>()[(k + 1) * n + k] = -1;
  }
  const auto values = eigenvalues(second);
  for (Index k = 0; k < n; ++k)
    CHECK(values.at<double>({k}) == Approx(2 - 2 * std::cos(static_cast<double>(k + 1) * std::numbers::pi /
                                                            static_cast<double>(n + 1))));
}

TEST_CASE("rank, null space and condition") {
  Random random(53);
  for (int round = 0; round < 40; ++round) {
    const Index m = pick(random, 2, 7), n = pick(random, 2, 7), r = pick(random, 1, std::min(m, n));
    const auto a = matrix_product(random_matrix(random, m, r, round % 2), random_matrix(random, r, n, false));
    CHECK(rank(a) == r);
    const auto space = null_basis(a);
    CHECK(space.shape() == Shape{n, n - r});
    CHECK(norm(matrix_product(a, space)) < 1e-11);
    CHECK(distance(matrix_product(adjoint(space), space), identity(n - r)) < kClose);
  }
  CHECK(condition_number(matrix({{3, 0}, {0, 0.003}})) == Approx(1000));
  CHECK(std::isinf(condition_number(matrix({{1, 0}, {0, 0}}))));
  // The Hilbert matrix of 5: 476607 (published in many tables).
  Array hilbert(ElementType::float64, {5, 5});
  for (Index k = 0; k < 25; ++k)
    hilbert.mutable_data<double>()[k] = 1.0 / static_cast<double>(k / 5 + k % 5 + 1);
  CHECK(condition_number(hilbert) == Approx(476607).epsilon(1e-5));
  CHECK(*determinant(hilbert).data<double>() == Approx(1 / 266716800000.0).epsilon(1e-9));
}

TEST_CASE("least squares leave a residual at right angles to the columns") {
  Random random(54);
  for (int round = 0; round < 40; ++round) {
    const Index m = pick(random, 1, 8), n = pick(random, 1, 8);
    const auto a = random_matrix(random, m, n, round % 2);
    const auto b =
        round % 3 ? random_matrix(random, m, 2, false) : random_matrix(random, m, 1, false).with_shape({m});
    const auto fit = least_squares(a, b);
    CAPTURE(m, n, round);
    CHECK(fit.rank == std::min(m, n));
    const auto rest = apply(Binary::subtract, matrix_product(a, fit.x), b);
    CHECK(norm(matrix_product(adjoint(a), rest)) < 1e-10);
    CHECK(norm(fit.residual_norm) == Approx(norm(rest)).margin(1e-12));
    // When there are many solutions, the least one has no part in the null space.
    if (n > m) CHECK(norm(matrix_product(adjoint(null_basis(a)), fit.x)) < 1e-11);
  }
}

TEST_CASE("the exponential of a matrix") {
  const auto turned = matrix_exponential(matrix({{0, -1}, {1, 0}}));
  CHECK(turned.at<double>({0, 0}) == Approx(std::cos(1.0)));
  CHECK(turned.at<double>({1, 0}) == Approx(std::sin(1.0)));
  // Nilpotent: a polynomial.
  CHECK(distance(matrix_exponential(matrix({{0, 1, 0}, {0, 0, 1}, {0, 0, 0}})),
                 matrix({{1, 1, 0.5}, {0, 1, 1}, {0, 0, 1}})) < 1e-15);
  Random random(55);
  const auto a = random_matrix(random, 5, 5, true);
  CHECK(distance(matrix_product(matrix_exponential(a), matrix_exponential(apply(Unary::negate, a))),
                 identity(5)) < 1e-10);
  // det exp A = exp trace A.
  const auto det = *determinant(matrix_exponential(a)).data<Complex>();
  const auto trace = *reduce(Reduction::sum, diagonal(a)).data<Complex>();
  CHECK(std::abs(det - std::exp(trace)) < 1e-10 * std::abs(det));
}

TEST_CASE("products, powers and norms of small matrices") {
  const auto a = matrix({{1, 2}, {3, 4}}), b = matrix({{0, 1}, {1, 0}});
  const auto k = kronecker(a, b);
  CHECK(k.shape() == Shape{4, 4});
  // (A ⊗ B)(A ⊗ B) = AA ⊗ BB
  CHECK(distance(matrix_product(k, k), kronecker(matrix_product(a, a), matrix_product(b, b))) == 0);
  const auto u = Array::vector(std::vector<double>{1, 2, 3}),
             v = Array::vector(std::vector<double>{-2, 0, 5});
  const auto w = cross(u, v);
  CHECK(w.to_vector<double>() == std::vector<double>{10, -11, 4});
  CHECK(*matrix_product(w, u).data<double>() == 0);
  CHECK(vandermonde(u, 4).to_vector<double>() == std::vector<double>{1, 1, 1, 1, 8, 4, 2, 1, 27, 9, 3, 1});
  CHECK(diagonal(diagonal(u)).to_vector<double>() == u.to_vector<double>());
  for (const Index offset : {-3, -1, 0, 2}) {
    const auto square = diagonal(u, offset);
    CHECK(square.extent(0) == u.size() + std::abs(offset));
    CHECK(diagonal(square, offset).to_vector<double>() == u.to_vector<double>());
    CHECK(*reduce(Reduction::sum, square).data<double>() == *reduce(Reduction::sum, u).data<double>());
  }
  CHECK(diagonal(diagonal(u), u.size()).size() == 0);
  CHECK(diagonal(diagonal(u), -100).size() == 0);
  CHECK(diagonal(a.transposed()).to_vector<double>() == std::vector<double>{1, 4});
  CHECK(norm(matrix({{1, -2}, {3, 4}}), 1) == 6);
  CHECK(norm(matrix({{1, -2}, {3, 4}}), INFINITY) == 7);
  CHECK(norm(u, 1) == 6);
  CHECK(norm(u, 3) == Approx(std::cbrt(36.0)));
  CHECK(norm(Array::vector(std::vector<double>{3e200, 4e200}), 3) == Approx(std::cbrt(91.0) * 1e200));
}

TEST_CASE("matrices that do not fit are refused with what is wrong") {
  CHECK_THROWS_WITH(inverse(matrix({{1, 2}, {2, 4}})), "the matrix is singular and has no inverse");
  CHECK_THROWS_WITH(cholesky(matrix({{1, 2}, {2, 1}})),
                    "the matrix is not positive definite: see its first 2 rows and columns");
  CHECK_THROWS_WITH(cholesky(matrix({{1, 2}, {0, 1}})),
                    "the matrix is not symmetric, so it has no Cholesky factor");
  CHECK_THROWS_WITH(determinant(matrix({{1, 2}})), "det takes a square matrix, not an array of shape 1×2");
  CHECK_THROWS_WITH(eigen_parts(matrix({{1, NAN}, {2, 1}})),
                    "the matrix contains nan, the first at row 1, column 2");
  CHECK_THROWS_WITH(singular_values(matrix({{1, INFINITY}})),
                    "the matrix contains an infinite number, the first at element 2");
  CHECK_THROWS_AS(norm(matrix({{1, 2}}), 3), Error);
  CHECK_THROWS_AS(norm(matrix({{1, 2}}), 0.5), Error);
  CHECK_THROWS_AS(cross(Array::vector(std::vector<double>{1, 2}), Array::vector(std::vector<double>{1, 2})),
                  Error);
  // Empty ones have their natural values.
  const Array nothing(ElementType::float64, {0, 0});
  CHECK(*determinant(nothing).data<double>() == 1);
  CHECK(rank(nothing) == 0);
  CHECK(inverse(nothing).matrix.size() == 0);
  CHECK(least_squares(Array(ElementType::float64, {0, 2}), Array(ElementType::float64, {0})).x.size() == 2);
}

TEST_CASE("what a script could hold does not overflow on the way") {
  const Index n = 500;
  auto big = Array::filled<double>({n, n}, 0.0);
  double* m = big.mutable_data<double>();
  for (Index k = 0; k < n; ++k) m[k * n + k] = k % 2 ? 1e-3 : 1e3;
  m[1] = 5;
  CHECK(*determinant(big).data<double>() == Approx(1));
  for (Index k = 0; k < n; ++k) m[k * n + k] = -1e3;
  CHECK(log_determinant(big).value == Approx(500 * std::log(1e3)));
  CHECK(*log_determinant(big).sign.data<double>() == 1);
  m[0] = 1e3;
  CHECK(*log_determinant(big).sign.data<double>() == -1);
  CHECK(*log_determinant(Array::filled<double>({2, 2}, 1.0)).sign.data<double>() == 0);
  const auto e = matrix_exponential(matrix({{-2000, 0}, {0, 3}}));
  CHECK(e.at<double>({0, 0}) == 0);
  CHECK(e.at<double>({1, 1}) == Approx(std::exp(3.0)));
}

TEST_CASE("the exponential of badly scaled matrices has the digits of its closed form") {
  // Scaling by the norm of A alone loses the digits of all of these.
  CHECK(matrix_exponential(matrix({{0, 1e12}, {0, 0}})).to_vector<double>() ==
        std::vector<double>{1, 1e12, 0, 1});
  CHECK(matrix_exponential(matrix({{0, 0}, {1e200, 0}})).to_vector<double>() ==
        std::vector<double>{1, 0, 1e200, 1});
  Random random(56);
  const auto uniform = [&] { return std::uniform_real_distribution<>()(random); };
  for (int round = 0; round < 200; ++round) {
    CAPTURE(round);
    // exp [a b; 0 d] = [e^a, b (e^a - e^d)/(a - d); 0, e^d].
    const double a = 4 * uniform() - 2, d = a + std::pow(10, -3 * uniform()),
                 b = std::pow(10, 24 * uniform() - 12);
    const auto e = matrix_exponential(matrix({{a, b}, {0, d}})).to_vector<double>();
    CHECK(e[0] == Approx(std::exp(a)).epsilon(1e-14));
    CHECK(e[1] == Approx(b * std::exp(a) * std::expm1(d - a) / (d - a)).epsilon(1e-13));
    CHECK(e[2] == 0);
    CHECK(e[3] == Approx(std::exp(d)).epsilon(1e-14));
    // A rotation in units of very different size: exp [0 -w u; w/u 0] = [cos w, -u sin w; sin w / u, cos w].
    const double w = 10 * uniform(), u = std::pow(10, 20 * uniform() - 10);
    const auto turned = matrix_exponential(matrix({{0, -w * u}, {w / u, 0}})).to_vector<double>();
    CHECK(std::fabs(turned[0] - std::cos(w)) < 1e-13);
    CHECK(std::fabs(turned[1] + u * std::sin(w)) < 1e-13 * u);
    CHECK(std::fabs(turned[2] - std::sin(w) / u) < 1e-13 / u);
  }
}
