// Systems of linear equations.
#pragma once

#include "array/array.h"

namespace quill {

struct LinearSolution {
  Array x;                            // of the shape of b
  double reciprocal_condition = 1.0;  // estimate in the 1-norm
};

// A x = b for a square A and a vector or matrix b, real or complex. Triangular matrices are solved as they
// are (LAPACK trtrs, trcon), Hermitian ones with a positive diagonal by Cholesky factors when they exist
// (potrf, potrs, pocon), all others by LU factors with partial pivoting (getrf, getrs, gecon). Error when A
// is not square, b does not fit, or A is singular.
LinearSolution solve(const Array& a, const Array& b);

// The 2-norm of a vector, the Frobenius norm of a matrix.
double norm(const Array& a);

// "element 5", "row 2, column 3" for the element k, from 0, of an array.
std::string place_in_words(const Shape& shape, Index k);
// Refuses nan and infinite numbers in the input of a method with the position of the first one; `what` names
// the argument.
void refuse_not_finite(const Array& a, const char* what);

}  // namespace quill
