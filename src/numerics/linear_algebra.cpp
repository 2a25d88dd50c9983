#include "numerics/linear_algebra.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

#include "array/line_sums.h"
#include "array/rearrange.h"
#include "array/strided.h"
#include "numerics/lapack.h"

namespace quill {

namespace {

// The first element that is not finite, or -1.
template <class T>
Index first_not_finite(const Array& a) {
  const auto whole = a.compact();
  const T* x = whole.data<T>();
  // Branch-free test: x - x is nan unless x is finite; the position is searched only on failure.
  bool any = false;
  for (Index k = 0; k < a.size(); ++k) {
    const T zero = x[k] - x[k];
    any |= zero != zero;
  }
  for (Index k = 0; any && k < a.size(); ++k)
    if (const T zero = x[k] - x[k]; zero != zero) return k;
  return -1;
}

}  // namespace

std::string place_in_words(const Shape& shape, Index k) {
  if (shape.count() <= 1 || (shape.count() == 2 && (shape[0] == 1 || shape[1] == 1)))
    return fmt::format("element {}", k + 1);
  std::vector<Index> at(static_cast<std::size_t>(shape.count()));
  for (int i = shape.count() - 1; i >= 0; --i) {
    at[static_cast<std::size_t>(i)] = k % shape[i] + 1;
    k /= shape[i];
  }
  if (at.size() == 2) return fmt::format("row {}, column {}", at[0], at[1]);
  return fmt::format("element [{}]", fmt::join(at, ", "));
}

void refuse_not_finite(const Array& a, const char* what) {
  const Index place = a.type() == ElementType::complex128 ? first_not_finite<Complex>(a)
                      : a.type() == ElementType::float64  ? first_not_finite<double>(a)
                      : a.type() == ElementType::float32  ? first_not_finite<float>(a)
                                                          : -1;
  if (place < 0) return;
  const auto one = flattened(a).converted(ElementType::complex128).at<Complex>({place});
  const bool is_nan = std::isnan(one.real()) || std::isnan(one.imag());
  Error error(fmt::format("{} contains {}, the first at {}", what, is_nan ? "nan" : "an infinite number",
                          place_in_words(a.shape(), place)),
              a.axes() <= 1 ? "select the finite elements: a[is_finite(a)]"
                            : "is_finite(a) shows which elements are finite");
  error.is_of_data = true;
  throw error;
}

namespace {

// 1-norm of a column-major matrix.
template <class T>
double one_norm(const std::vector<T>& columns, Index n) {
  double most = 0;
  for (Index c = 0; c < n; ++c) {
    double sum = 0;
    for (Index r = 0; r < n; ++r) sum += std::abs(columns[static_cast<std::size_t>(c * n + r)]);
    most = std::max(most, sum);
  }
  return most;
}

// Rows become columns, in blocks that stay in the cache.
template <class T>
void transpose_in_place(std::vector<T>& a, Index n) {
  constexpr Index block = 32;
  for (Index i = 0; i < n; i += block)
    for (Index j = 0; j <= i; j += block)
      for (Index r = i; r < std::min(i + block, n); ++r)
        for (Index c = j; c < std::min(j + block, r); ++c)
          std::swap(a[static_cast<std::size_t>(r * n + c)], a[static_cast<std::size_t>(c * n + r)]);
}

// LAPACK routines for both element types. Matrices are column-major.
template <class T>
struct Routines;
template <>
struct Routines<double> {
  // Without the library's own search for nan, which has been done.
  static constexpr auto getrf = LAPACKE_dgetrf_work;
  static constexpr auto getrs = LAPACKE_dgetrs_work;
  static constexpr auto gecon = LAPACKE_dgecon;
  static constexpr auto potrf = LAPACKE_dpotrf_work;
  static constexpr auto potrs = LAPACKE_dpotrs_work;
  static constexpr auto pocon = LAPACKE_dpocon;
  static constexpr auto trtrs = LAPACKE_dtrtrs_work;
  static constexpr auto trcon = LAPACKE_dtrcon;
};
template <>
struct Routines<Complex> {
  static constexpr auto getrf = LAPACKE_zgetrf_work;
  static constexpr auto getrs = LAPACKE_zgetrs_work;
  static constexpr auto gecon = LAPACKE_zgecon;
  static constexpr auto potrf = LAPACKE_zpotrf_work;
  static constexpr auto potrs = LAPACKE_zpotrs_work;
  static constexpr auto pocon = LAPACKE_zpocon;
  static constexpr auto trtrs = LAPACKE_ztrtrs_work;
  static constexpr auto trcon = LAPACKE_ztrcon;
};

enum class Pattern : std::uint8_t { general, lower, upper, hermitian };

// Elements of a, column by column.
template <class T>
Pattern pattern_of(const std::vector<T>& a, Index n) {
  bool lower = true, upper = true, hermitian = true;
  for (Index c = 0; c < n && (lower || upper || hermitian); ++c)
    for (Index r = 0; r < c; ++r) {
      const T above = a[static_cast<std::size_t>(c * n + r)], below = a[static_cast<std::size_t>(r * n + c)];
      lower = lower && above == T(0);
      upper = upper && below == T(0);
      if constexpr (std::is_same_v<T, Complex>)
        hermitian = hermitian && above == std::conj(below);
      else
        hermitian = hermitian && above == below;
    }
  if (lower) return Pattern::lower;
  if (upper) return Pattern::upper;
  for (Index k = 0; k < n && hermitian; ++k)
    hermitian = std::real(a[static_cast<std::size_t>(k * n + k)]) > 0 &&
                std::imag(a[static_cast<std::size_t>(k * n + k)]) == 0;
  return hermitian ? Pattern::hermitian : Pattern::general;
}

[[noreturn]] void fail_singular(Index n) {
  fail(fmt::format("the matrix is singular: its rank is below {}, so the system has no unique solution", n),
       "use least_squares, or remove linearly dependent rows");
}

// Solves in place: `a`, column-major, becomes factors, `b` the solution. Returns the reciprocal condition
// number.
template <class T>
double solve_in_place(std::vector<T>& a, lapack_int n, T* b, lapack_int columns) {
  using R = Routines<T>;
  constexpr int order = LAPACK_COL_MAJOR;
  const double size = one_norm(a, n);
  if (!std::isfinite(size) &&
      std::any_of(a.begin(), a.end(), [](const T& v) { return std::isinf(std::abs(v)); }))
    fail("the matrix contains an infinite element");
  double reciprocal = 0;
  const auto pattern = pattern_of(a, n);
  if (pattern == Pattern::lower || pattern == Pattern::upper) {
    const char side = pattern == Pattern::lower ? 'L' : 'U';
    if (R::trtrs(order, side, 'N', 'N', n, columns, a.data(), n, b, n) > 0) fail_singular(n);
    R::trcon(order, '1', side, 'N', n, a.data(), n, &reciprocal);
    return reciprocal;
  }
  if (pattern == Pattern::hermitian) {
    auto factor = a;
    if (R::potrf(order, 'L', n, factor.data(), n) == 0) {
      R::potrs(order, 'L', n, columns, factor.data(), n, b, n);
      R::pocon(order, 'L', n, factor.data(), n, size, &reciprocal);
      return reciprocal;
    }
  }
  std::vector<lapack_int> pivots(static_cast<std::size_t>(n));
  if (R::getrf(order, n, n, a.data(), n, pivots.data()) > 0) fail_singular(n);
  R::getrs(order, 'N', n, columns, a.data(), n, pivots.data(), b, n);
  R::gecon(order, '1', n, a.data(), n, size, &reciprocal);
  return reciprocal;
}

// Rows and columns of very different size are brought to one by powers of two, as units of equations and
// unknowns would be; a symmetric matrix stays one.
struct Equilibrated {
  std::vector<double> rows, columns;  // factors; empty: nothing is to be done
};
template <class T>
Equilibrated equilibrate(std::vector<T>& a, Index n) {
  const auto count = static_cast<std::size_t>(n);
  std::vector<double> largest(count, 0.0);
  for (std::size_t c = 0; c < count; ++c)
    for (std::size_t r = 0; r < count; ++r) largest[r] = std::max(largest[r], std::abs(a[c * count + r]));
  const auto [least, most] = std::minmax_element(largest.begin(), largest.end());
  constexpr double alike = 1e6;
  if (*least == 0 || *most <= alike * *least) {
    // Rows alike: are the columns?
    double smallest = INFINITY, greatest = 0;
    for (std::size_t c = 0; c < count; ++c) {
      double of_column = 0;
      for (std::size_t r = 0; r < count; ++r) of_column = std::max(of_column, std::abs(a[c * count + r]));
      smallest = std::min(smallest, of_column);
      greatest = std::max(greatest, of_column);
    }
    if (smallest == 0 || greatest <= alike * smallest) return {};
  }
  const bool is_symmetric = pattern_of(a, n) == Pattern::hermitian;
  Equilibrated out{std::vector<double>(count, 1.0), std::vector<double>(count, 1.0)};
  for (std::size_t r = 0; r < count; ++r) {
    if (is_symmetric)
      out.rows[r] = std::ldexp(1.0, -std::ilogb(std::abs(a[r * count + r])) / 2);
    else if (largest[r] > 0)
      out.rows[r] = std::ldexp(1.0, -std::ilogb(largest[r]));
  }
  if (is_symmetric) out.columns = out.rows;
  for (std::size_t c = 0; c < count; ++c) {
    double of_column = 0;
    for (std::size_t r = 0; r < count; ++r) {
      a[c * count + r] *= out.rows[r];
      of_column = std::max(of_column, std::abs(a[c * count + r]));
    }
    if (!is_symmetric && of_column > 0) out.columns[c] = std::ldexp(1.0, -std::ilogb(of_column));
    for (std::size_t r = 0; r < count; ++r) a[c * count + r] *= out.columns[c];
  }
  return out;
}

// Elements of each row times its factor.
template <class T>
void scale_rows(T* b, Index n, Index columns, const std::vector<double>& factors) {
  for (Index r = 0; r < n && !factors.empty(); ++r)
    for (Index c = 0; c < columns; ++c) b[r * columns + c] *= factors[static_cast<std::size_t>(r)];
}

// The same for a matrix owned by the (possibly abandoned) work, and the elements of `right`.
template <class T>
double solve_leavable(const std::shared_ptr<std::vector<T>>& a, lapack_int n, Array& right,
                      lapack_int columns) {
  const auto reciprocal = std::make_shared<double>(0);
  const auto call = [matrix = a.get(), n, columns, b = right.mutable_data<T>(), to = reciprocal.get()] {
    *to = solve_in_place(*matrix, n, b, columns);
    return lapack::Size{0};
  };
  lapack::leavable(lapack::cube(n, n), call, a, right, reciprocal);
  return *reciprocal;
}

template <class T>
LinearSolution solve_as(const Array& a, const Array& b) {
  const auto n = a.extent(0);
  const auto columns = b.axes() == 2 ? b.extent(1) : 1;
  LinearSolution out{b.converted(type_of<T>).copied()};
  out.x.label.reset();
  if (n == 0 || columns == 0) return out;
  const auto kept = std::make_shared<std::vector<T>>(a.to_vector<T>());
  auto& matrix = *kept;
  transpose_in_place(matrix, n);
  const auto as_lapack = [](Index k) { return static_cast<lapack_int>(k); };
  const auto factors = equilibrate(matrix, n);
  scale_rows(out.x.template mutable_data<T>(), n, columns, factors.rows);
  if (columns == 1) {
    out.reciprocal_condition = solve_leavable(kept, as_lapack(n), out.x, lapack_int{1});
    scale_rows(out.x.template mutable_data<T>(), n, columns, factors.columns);
    return out;
  }
  auto right = out.x.transposed().copied();
  out.reciprocal_condition = solve_leavable(kept, as_lapack(n), right, as_lapack(columns));
  out.x = right.transposed().copied();
  scale_rows(out.x.template mutable_data<T>(), n, columns, factors.columns);
  return out;
}

}  // namespace

// The library counts elements in 32 bits.
constexpr Index kMostRows = 46000;

LinearSolution solve(const Array& a, const Array& b) {
  if (a.axes() != 2 || a.extent(0) != a.extent(1))
    fail(fmt::format("solve requires a square matrix, not {}", text_of(a.shape())),
         a.axes() == 2 ? "use least_squares for an overdetermined system" : "");
  if (b.axes() < 1 || b.axes() > 2 || b.extent(0) != a.extent(0))
    fail(fmt::format("the right-hand side has shape {} and the matrix {}: their first sizes must be equal",
                     text_of(b.shape()), text_of(a.shape())));
  if (a.extent(0) > kMostRows) fail(fmt::format("a matrix of {0} × {0} is too large for this", a.extent(0)));
  refuse_not_finite(a, "the matrix");
  refuse_not_finite(b, "the right-hand side");
  const bool complex = a.type() == ElementType::complex128 || b.type() == ElementType::complex128;
  if (complex) return solve_as<Complex>(a.converted(ElementType::complex128), b);
  return solve_as<double>(a.converted(ElementType::float64), b);
}

double norm(std::span<const double> v) {
  const double squares = line_sum(v, [](double each) { return each * each; });
  constexpr double small = 1e-200;
  if (std::isnan(squares) || (squares > small && std::isfinite(squares))) return std::sqrt(squares);
  // Scaled, so that squares neither overflow nor vanish.
  double most = 0;
  for (const double each : v) most = std::max(most, std::fabs(each));
  if (most == 0 || std::isinf(most)) return most;
  const double unit = std::ldexp(1.0, std::ilogb(most));
  return unit * std::sqrt(line_sum(v, [unit](double each) { return each / unit * (each / unit); }));
}

double norm(const Array& a) {
  // The parts of complex numbers lie side by side.
  const bool is_complex = a.type() == ElementType::complex128;
  const auto x = (is_complex ? a : a.converted(ElementType::float64)).compact();
  const double* const numbers =
      is_complex ? reinterpret_cast<const double*>(x.data<Complex>()) : x.data<double>();
  return norm(std::span(numbers, static_cast<std::size_t>(x.size()) * (is_complex ? 2 : 1)));
}

}  // namespace quill
