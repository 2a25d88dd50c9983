// Factors, eigenvalues and functions of matrices, real or complex. Each takes a matrix of any element type of
// numbers, refuses nan and infinities with their place, and works by LAPACK unless it says otherwise.
#pragma once

#include "array/array.h"

namespace quill {

// A[permutation, ..] = lower upper, with ones on the diagonal of lower (getrf). Any shape.
struct LuFactors {
  Array lower, upper, permutation;  // positions from 1
};
LuFactors lu_factors(const Array& a);

// A = q r with orthonormal columns in q and r upper triangular; thin (geqrf, orgqr).
struct QrFactors {
  Array q, r;
};
QrFactors qr_factors(const Array& a);

// The lower triangular factor of a symmetric or Hermitian positive definite matrix, A = L adjoint(L) (potrf).
// Error when A is not symmetric within rounding, or not positive definite.
Array cholesky(const Array& a);

// A = u diagonal(values) adjoint(v), singular values falling, thin (gesdd).
struct SingularValues {
  Array u, values, v;
};
SingularValues singular_values(const Array& a);

// A vectors = vectors diagonal(values). Real and rising with orthonormal vectors for a symmetric or Hermitian
// matrix (syevd, heevd); else complex, ordered by real, then imaginary part, with vectors of length 1 (geev).
struct EigenParts {
  Array values, vectors;
};
EigenParts eigen_parts(const Array& a);
Array eigenvalues(const Array& a);

// The determinant as a single number, by LU factors.
Array determinant(const Array& a);
// The logarithm of its size and its sign (of a complex one its direction); minus infinity and 0 when
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
// Error for a singular matrix.
Inverse inverse(const Array& a);
// The count of singular values above max(m, n) · 2^-52 · the largest.
Index rank(const Array& a);
// The largest singular value over the smallest; infinite for a singular matrix.
double condition_number(const Array& a);
// Orthonormal columns that A takes to zero.
Array null_basis(const Array& a);

// The x of least norm that makes |A x - b| least (gelsd).
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

// Every element of a times all of b, as blocks.
Array kronecker(const Array& a, const Array& b);
// The vector product of two vectors of three elements.
Array cross(const Array& a, const Array& b);
// Columns t^(columns-1) … t^0.
Array vandermonde(const Array& t, Index columns);
// The diagonal of a matrix that is `offset` columns to the right of the main one, below 0 to the left; or the
// matrix with a vector there. Empty where the matrix has no such diagonal.
Array diagonal(const Array& a, Index offset = 0);

}  // namespace quill
