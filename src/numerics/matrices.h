// Factorizations, eigenvalues and functions of real and complex matrices. Matrices may have any numeric type;
// nan and infinities throw an Error with their position. LAPACK unless stated otherwise.
#pragma once

#include "array/array.h"

namespace quill {

// A[permutation, ..] = lower upper, with ones on the diagonal of lower (getrf). Any shape.
struct LuFactors {
  Array lower, upper, permutation;  // indices from 1
};
LuFactors lu_factors(const Array& a);

// A = q r with orthonormal columns in q and r upper triangular; thin (geqrf, orgqr).
struct QrFactors {
  Array q, r;
};
QrFactors qr_factors(const Array& a);

// Lower triangular factor of a symmetric or Hermitian positive definite matrix, A = L adjoint(L) (potrf).
// Throws Error if A is not symmetric up to rounding, or not positive definite.
Array cholesky(const Array& a);

// A = u diagonal(values) adjoint(v), singular values in descending order, thin (gesdd).
struct SingularValues {
  Array u, values, v;
};
SingularValues singular_values(const Array& a);

// A vectors = vectors diagonal(values). Symmetric or Hermitian matrices: real ascending values, orthonormal
// vectors (syevd, heevd); others: complex, ordered by real, then imaginary part, vectors of length 1 (geev).
struct EigenParts {
  Array values, vectors;
};
EigenParts eigen_parts(const Array& a);
Array eigenvalues(const Array& a);

// Determinant by LU factors.
Array determinant(const Array& a);
// Logarithm of the absolute determinant, and its sign (direction if complex); minus infinity and 0 if
// singular.
struct LogDeterminant {
  double value;
  Array sign;
};
LogDeterminant log_determinant(const Array& a);
struct Inverse {
  Array matrix;
  double reciprocal_condition = 1;  // in the 1-norm
};
// Throws Error for a singular matrix.
Inverse inverse(const Array& a);
// Number of singular values above max(m, n) · 2^-52 · the largest.
Index rank(const Array& a);
// Largest over smallest singular value; infinite for a singular matrix.
double condition_number(const Array& a);
// Orthonormal basis of the null space, in columns.
Array null_basis(const Array& a);

// The x of least norm that minimises |A x - b| (gelsd).
struct LeastSquares {
  Array x;
  Array residual_norm;  // |A x - b|, one for each column of b
  Index rank = 0;
};
LeastSquares least_squares(const Array& a, const Array& b);

// exp(A) by scaling and squaring (A. H. Al-Mohy and N. J. Higham, SIAM J. Matrix Anal. Appl. 31, 2009).
Array matrix_exponential(const Array& a);

// Operator norm of a matrix, p-norm of a vector: order 1, 2 or infinity (for vectors any order from 1).
double norm(const Array& a, double order);

// Kronecker product: every element of a times all of b, as blocks.
Array kronecker(const Array& a, const Array& b);
// Cross product of two vectors of three elements; `result` has room for three.
void cross(std::span<const double> a, std::span<const double> b, double* result);
Array cross(const Array& a, const Array& b);
// Columns t^(columns-1) … t^0.
Array vandermonde(const Array& t, Index columns);
// The diagonal `offset` columns right of the main one (left if negative), or the matrix with a vector there.
// Empty if the matrix has no such diagonal.
Array diagonal(const Array& a, Index offset = 0);

}  // namespace quill
