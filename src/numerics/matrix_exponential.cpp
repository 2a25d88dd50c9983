#include <Eigen/Dense>
#include <unsupported/Eigen/MatrixFunctions>

#include "array/elementwise.h"
#include "array/reduce.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"

namespace quill {

namespace {

template <class T>
Array exponential_of(const Array& a) {
  using Matrix = Eigen::Matrix<T, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  const auto rows = a.compact();
  const Eigen::Map<const Matrix> from(rows.data<T>(), a.extent(0), a.extent(1));
  Array out(type_of<T>, a.shape());
  Eigen::Map<Matrix>(out.mutable_data<T>(), a.extent(0), a.extent(1)) = Matrix(from).exp();
  return out;
}

// Whose exponential needs no products, which would overflow where the result does not.
bool is_diagonal(const Array& a) {
  const auto rest = apply(Binary::subtract, a, diagonal(diagonal(a)));
  return !*reduce(Reduction::any, apply(Binary::not_equal, rest, 0.0)).data<bool>();
}

}  // namespace

Array matrix_exponential(const Array& a) {
  if (a.axes() != 2 || a.extent(0) != a.extent(1))
    fail("matrix_exp takes a square matrix, not an array of shape " + text_of(a.shape()));
  refuse_not_finite(a, "the matrix");
  if (a.size() == 0) return a;
  if (is_diagonal(a)) return diagonal(apply(Unary::exp, diagonal(a)));
  if (a.type() == ElementType::complex128) return exponential_of<Complex>(a);
  return exponential_of<double>(a.converted(ElementType::float64));
}

}  // namespace quill
