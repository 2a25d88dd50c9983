#include "numerics/linear_algebra.h"

#include <fmt/format.h>

#include <cmath>

#include "array/strided.h"
#include "numerics/lapack.h"

namespace quill {

void refuse_nan(const Array& a, const char* what) {
  Index position = 0;
  const auto check = [&](double x) {
    ++position;
    if (std::isnan(x))
      fail(fmt::format("{} holds nan, the first at element {}", what, position),
           "choose the finite ones: a[is_finite(a)]");
  };
  if (is_real(a.type()))
    for (const double x : a.converted(ElementType::float64).to_vector<double>()) check(x);
  if (a.type() == ElementType::complex128)
    for (const auto z : a.to_vector<Complex>()) check(z.real() + z.imag());
}

namespace {

template <class T>
double one_norm(const std::vector<T>& columns, Index n) {
  double most = 0;
  for (Index c = 0; c < n; ++c) {
    double sum = 0;
    for (Index r = 0; r < n; ++r) sum += std::abs(columns[static_cast<std::size_t>(r * n + c)]);
    most = std::max(most, sum);
  }
  return most;
}

int factor(lapack_int n, double* a, lapack_int* pivots) {
  return LAPACKE_dgetrf(LAPACK_ROW_MAJOR, n, n, a, n, pivots);
}
int factor(lapack_int n, Complex* a, lapack_int* pivots) {
  return LAPACKE_zgetrf(LAPACK_ROW_MAJOR, n, n, a, n, pivots);
}
void condition(lapack_int n, const double* a, double norm, double* out) {
  LAPACKE_dgecon(LAPACK_ROW_MAJOR, '1', n, a, n, norm, out);
}
void condition(lapack_int n, const Complex* a, double norm, double* out) {
  LAPACKE_zgecon(LAPACK_ROW_MAJOR, '1', n, a, n, norm, out);
}
void back(lapack_int n, lapack_int m, const double* a, const lapack_int* p, double* b) {
  LAPACKE_dgetrs(LAPACK_ROW_MAJOR, 'N', n, m, a, n, p, b, m);
}
void back(lapack_int n, lapack_int m, const Complex* a, const lapack_int* p, Complex* b) {
  LAPACKE_zgetrs(LAPACK_ROW_MAJOR, 'N', n, m, a, n, p, b, m);
}

template <class T>
LinearSolution solve_as(const Array& a, const Array& b) {
  const auto n = a.extent(0);
  const auto columns = b.axes() == 2 ? b.extent(1) : 1;
  auto matrix = a.to_vector<T>();
  LinearSolution out{b.converted(type_of<T>).copied()};
  out.x.label.reset();
  if (n == 0 || columns == 0) return out;
  std::vector<lapack_int> pivots(static_cast<std::size_t>(n));
  const double size = one_norm(matrix, n);
  const int failed = factor(static_cast<lapack_int>(n), matrix.data(), pivots.data());
  if (failed > 0)
    fail(fmt::format("the matrix is singular: its rank is below {}, so the system has no single solution", n),
         "least_squares or a look at the rows that depend on each other helps");
  condition(static_cast<lapack_int>(n), matrix.data(), size, &out.reciprocal_condition);
  back(static_cast<lapack_int>(n), static_cast<lapack_int>(columns), matrix.data(), pivots.data(),
       out.x.template mutable_data<T>());
  return out;
}

}  // namespace

LinearSolution solve(const Array& a, const Array& b) {
  if (a.axes() != 2 || a.extent(0) != a.extent(1))
    fail(fmt::format("solve takes a square matrix, not {}", text_of(a.shape())),
         a.axes() == 2 ? "an overdetermined system is a problem of least squares" : "");
  if (b.axes() < 1 || b.axes() > 2 || b.extent(0) != a.extent(0))
    fail(fmt::format("the right side has shape {} and the matrix {}: their first extents must agree",
                     text_of(b.shape()), text_of(a.shape())));
  if (a.extent(0) > 40000) fail("the matrix is too large");
  refuse_nan(a, "the matrix");
  refuse_nan(b, "the right side");
  const bool complex = a.type() == ElementType::complex128 || b.type() == ElementType::complex128;
  if (complex) return solve_as<Complex>(a.converted(ElementType::complex128), b);
  return solve_as<double>(a.converted(ElementType::float64), b);
}

double norm(const Array& a) {
  // Scaled, so that squares neither overflow nor vanish.
  double scale = 0, sum = 1;
  const auto add = [&](double x) {
    x = std::fabs(x);
    if (x == 0) return;
    if (std::isnan(x) || std::isinf(x)) {
      scale = x;
      sum = 1;
      return;
    }
    if (scale < x) {
      sum = 1 + sum * (scale / x) * (scale / x);
      scale = x;
    } else
      sum += (x / scale) * (x / scale);
  };
  if (a.type() == ElementType::complex128)
    for (const auto z : a.to_vector<Complex>()) {
      add(z.real());
      add(z.imag());
    }
  else
    for (const double x : a.converted(ElementType::float64).to_vector<double>()) {
      add(x);
      if (std::isnan(scale)) return scale;
    }
  return scale == 0 ? 0 : scale * std::sqrt(sum);
}

}  // namespace quill
