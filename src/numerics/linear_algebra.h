// Systems of linear equations.
#pragma once

#include "array/array.h"

namespace quill {

struct LinearSolution {
  Array x;                            // of the shape of b
  double reciprocal_condition = 1.0;  // estimate in the 1-norm
};

// Solves A x = b for a square A and a vector or matrix b, real or complex. Triangular matrices by
// substitution (LAPACK trtrs, trcon), Hermitian ones with a positive diagonal by Cholesky factors if these
// exist (potrf, potrs, pocon), others by LU factors with partial pivoting (getrf, getrs, gecon). Throws Error
// if A is not square or singular, or b does not fit.
LinearSolution solve(const Array& a, const Array& b);

// The 2-norm of a vector, the Frobenius norm of a matrix.
double norm(const Array& a);
double norm(std::span<const double> v);

// "element 5", "row 2, column 3" for element k (from 0).
std::string place_in_words(const Shape& shape, Index k);
// Throws Error with the position of the first nan or infinite number; `what` names the argument.
void refuse_not_finite(const Array& a, const char* what);

}  // namespace quill
