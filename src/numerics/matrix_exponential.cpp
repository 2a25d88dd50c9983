// exp(A) by scaling and squaring with Padé approximants, after A. H. Al-Mohy and N. J. Higham, "A New Scaling
// and Squaring Algorithm for the Matrix Exponential", SIAM J. Matrix Anal. Appl. 31 (2009): the scaling
// follows the norms of powers of A instead of the norm of A, which can be larger by any factor.
#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "numerics/lapack.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"

namespace quill {

namespace {

Array sum(const Array& a, const Array& b) { return apply(Binary::add, a, b); }
Array times(double s, const Array& a) { return apply(Binary::multiply, a, s); }

// The numerators of the diagonal Padé approximants of degree 3, 5, 7, 9 and 13, lowest power first.
struct Approximant {
  int degree;
  double reach;          // the largest norm it is accurate for without scaling
  double leading_error;  // of the first neglected term of its backward error
  std::vector<double> b;
};
const std::array<Approximant, 5>& approximants() {
  static const std::array<Approximant, 5> rows = {{
      {3, 1.495585217958292e-002, 1.0 / 100800, {120, 60, 12, 1}},
      {5, 2.539398330063230e-001, 1.0 / 10059033600, {30240, 15120, 3360, 420, 30, 1}},
      {7,
       9.504178996162932e-001,
       1.0 / 4487938430976000,
       {17297280, 8648640, 1995840, 277200, 25200, 1512, 56, 1}},
      {9,
       2.097847961257068e+000,
       1.0 / 5914384781877411840000.0,
       {17643225600, 8821612800, 2075673600, 302702400, 30270240, 2162160, 110880, 3960, 90, 1}},
      {13,
       4.25,
       1.0 / 113250775606021113483283660800000000.0,
       {64764752532480000, 32382376266240000, 7771770303897600, 1187353796428800, 129060195264000,
        10559470521600, 670442572800, 33522128640, 1323241920, 40840800, 960960, 16380, 182, 1}},
  }};
  return rows;
}

// log2 of ‖ |A|^power ‖₁ over ‖A‖₁, by products of |A|' with a vector; minus infinity when the power is 0.
double log_norm_of_power(const Array& sizes, int power, double norm_of_a) {
  auto v = Array::filled<double>({sizes.extent(0)}, 1.0);
  const auto turned = sizes.transposed();
  double log = -std::log2(norm_of_a);
  for (int k = 0; k < power; ++k) {
    v = matrix_product(turned, v);
    const double most = *reduce(Reduction::maximum, v).data<double>();
    if (most == 0) return -INFINITY;
    log += std::log2(most);
    v = times(1 / most, v);
  }
  return log;
}

// How many more halvings the approximant needs for the sizes of the elements of 2^-scaling A.
int more_halvings(const Array& sizes, double norm_of_a, const Approximant& p, int scaling) {
  const int power = 2 * p.degree + 1;
  const double log_alpha =
      std::log2(p.leading_error) + log_norm_of_power(sizes, power, norm_of_a) - scaling * (power - 1.0);
  constexpr double log_unit = -53;
  return static_cast<int>(std::max(0.0, std::ceil((log_alpha - log_unit) / (2 * p.degree))));
}

// Even powers of A, computed on demand.
struct Powers {
  Array one, a, a2, a4, a6, a8;
};

// The approximant at A: (V - U) X = V + U with the odd part U and the even part V.
Array approximated(const Powers& p, const std::vector<double>& b) {
  const auto even = [&](std::size_t from) {  // b[from] I + b[from + 2] A² + …
    auto out = times(b[from], p.one);
    const Array* powers[] = {&p.a2, &p.a4, &p.a6, &p.a8};
    for (std::size_t k = 0; from + 2 * (k + 1) < b.size() && k < 4; ++k)
      out = sum(out, times(b[from + 2 * (k + 1)], *powers[k]));
    return out;
  };
  Array u, v;
  if (b.size() < 14) {
    u = matrix_product(p.a, even(1));
    v = even(0);
  } else {
    const auto high = [&](std::size_t from) {
      return matrix_product(
          p.a6, sum(sum(times(b[from], p.a2), times(b[from + 2], p.a4)), times(b[from + 4], p.a6)));
    };
    const auto low = [&](std::size_t from) {
      return sum(sum(times(b[from], p.one), times(b[from + 2], p.a2)),
                 sum(times(b[from + 4], p.a4), times(b[from + 6], p.a6)));
    };
    u = matrix_product(p.a, sum(high(9), low(1)));
    v = sum(high(8), low(0));
  }
  return solve(apply(Binary::subtract, v, u), sum(v, u)).x;
}

// ‖A^2k‖₁^(1/2k).
double root_of_norm(const Array& power, int exponent) { return std::pow(norm(power, 1), 1.0 / exponent); }

// sinh(z)/z.
template <class T>
T sinhc(T z) {
  return std::abs(z) < 1e-4 ? T(1) + z * z / 6.0 : std::sinh(z) / z;
}

// For an upper triangular A, the diagonal of exp(s A) and the elements above it have closed forms, which
// squaring would lose (the paper's code fragment 2.1).
template <class T>
void set_diagonals(Array& x, const Array& a, double s) {
  const Index n = a.extent(0);
  T* to = x.mutable_data<T>();
  for (Index k = 0; k < n; ++k) to[k * n + k] = std::exp(s * a.at<T>({k, k}));
  for (Index k = 0; k + 1 < n; ++k) {
    const T l = s * a.at<T>({k, k}), m = s * a.at<T>({k + 1, k + 1});
    const T half = (m - l) / 2.0;
    // For far apart diagonal elements the quotient of differences, which does not overflow.
    to[k * n + k + 1] = std::abs(std::real(half)) > 1
                            ? s * a.at<T>({k, k + 1}) * (std::exp(m) - std::exp(l)) / (m - l)
                            : s * a.at<T>({k, k + 1}) * std::exp((l + m) / 2.0) * sinhc(half);
  }
}

template <class T>
bool is_upper(const Array& a) {
  for (Index r = 1; r < a.extent(0); ++r)
    for (Index c = 0; c < r; ++c)
      if (a.at<T>({r, c}) != T(0)) return false;
  return true;
}

template <class T>
Array exponential_of(const Array& a) {
  const auto sizes = apply(Unary::abs, a).converted(ElementType::float64);
  const double norm_of_a = norm(sizes, 1);
  Powers p{identity(a.extent(0)), a, matrix_product(a, a), {}, {}, {}};
  p.a4 = matrix_product(p.a2, p.a2);
  p.a6 = matrix_product(p.a4, p.a2);
  const double d4 = root_of_norm(p.a4, 4), d6 = root_of_norm(p.a6, 6);
  const auto& rows = approximants();
  const double eta = std::max(d4, d6);
  for (std::size_t k = 0; k < 2; ++k)
    if (eta <= rows[k].reach && more_halvings(sizes, norm_of_a, rows[k], 0) == 0)
      return approximated(p, rows[k].b);
  poll_interrupt();
  p.a8 = matrix_product(p.a4, p.a4);
  const double d8 = root_of_norm(p.a8, 8), eta3 = std::max(d6, d8);
  for (std::size_t k = 2; k < 4; ++k)
    if (eta3 <= rows[k].reach && more_halvings(sizes, norm_of_a, rows[k], 0) == 0)
      return approximated(p, rows[k].b);
  const double d10 = root_of_norm(matrix_product(p.a4, p.a6), 10);
  const double eta5 = std::min(eta3, std::max(d8, d10));
  int s = eta5 > rows[4].reach ? static_cast<int>(std::ceil(std::log2(eta5 / rows[4].reach))) : 0;
  s += more_halvings(sizes, norm_of_a, rows[4], s);
  const auto scaled = [s](const Array& m, int power) { return times(std::ldexp(1.0, -s * power), m); };
  p.a = scaled(p.a, 1);
  p.a2 = scaled(p.a2, 2);
  p.a4 = scaled(p.a4, 4);
  p.a6 = scaled(p.a6, 6);
  auto x = approximated(p, rows[4].b);
  const bool upper = is_upper<T>(a);
  if (upper) set_diagonals<T>(x, a, std::ldexp(1.0, -s));
  for (int k = s - 1; k >= 0; --k) {
    poll_interrupt();
    x = matrix_product(x, x);
    if (upper) set_diagonals<T>(x, a, std::ldexp(1.0, -k));
  }
  return x;
}

// Whose exponential needs no products, which would overflow where the result does not.
bool is_diagonal(const Array& a) {
  const auto rest = apply(Binary::subtract, a, diagonal(diagonal(a)));
  return !*reduce(Reduction::any, apply(Binary::not_equal, rest, 0.0)).data<bool>();
}

// Balancing: A = D B D⁻¹ with a diagonal D of powers of two that equalises the norms of rows and columns.
template <class T>
Array balanced(const Array& a, std::vector<double>& scale) {
  auto out = a.copied();
  const auto n = static_cast<lapack_int>(a.extent(0));
  scale.resize(static_cast<std::size_t>(n));
  lapack_int low = 0, high = 0;
  if constexpr (std::is_same_v<T, double>)
    LAPACKE_dgebal(LAPACK_ROW_MAJOR, 'S', n, out.mutable_data<double>(), n, &low, &high, scale.data());
  else
    LAPACKE_zgebal(LAPACK_ROW_MAJOR, 'S', n, out.mutable_data<Complex>(), n, &low, &high, scale.data());
  return out;
}

template <class T>
Array exponential_by_type(const Array& a) {
  // A lower triangle is worked on as an upper one, whose diagonal is kept exact.
  if (!is_upper<T>(a) && is_upper<T>(a.transposed()))
    return exponential_of<T>(a.transposed().compact()).transposed().compact();
  // Powers of matrices of such size overflow, and their digits are lost in any case: one unit for all rows
  // helps.
  constexpr double large = 1e8;
  if (norm(a, 1) < large) return exponential_of<T>(a);
  std::vector<double> scale;
  const auto tame = balanced<T>(a, scale);
  if (!(norm(tame, 1) < norm(a, 1) / 2)) return exponential_of<T>(a);
  auto x = exponential_of<T>(tame);
  const auto d = Array::vector(scale);
  return apply(Binary::divide, apply(Binary::multiply, x, down(d)), across(d));
}

}  // namespace

Array matrix_exponential(const Array& a) {
  if (a.axes() != 2 || a.extent(0) != a.extent(1))
    fail("matrix_exponential requires a square matrix, not an array of shape " + text_of(a.shape()));
  refuse_not_finite(a, "the matrix");
  if (a.size() == 0) return a;
  if (is_diagonal(a)) return diagonal(apply(Unary::exp, diagonal(a)));
  if (a.type() == ElementType::complex128) return exponential_by_type<Complex>(a.compact());
  return exponential_by_type<double>(a.converted(ElementType::float64).compact());
}

}  // namespace quill
