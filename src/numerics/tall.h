// Factors of matrices with many more rows than columns, by blocks of rows.
#pragma once

#include "array/array.h"

namespace quill {

// Whether a matrix of that shape is better factored by blocks: each block stays in the cache, and the blocks
// are shared by the threads.
bool is_tall(Index rows, Index columns);

// A = Q R of a tall matrix of float64 or complex128 in row-major order of its own, which becomes Q, of its
// shape; returns R, a triangle (J. Demmel, L. Grigori, M. Hoemmen, J. Langou, 2012). The result does not
// depend on the number of threads.
Array tall_qr_in_place(Array& a);

// R alone, of a tall matrix of float64 or complex128, which is unchanged.
Array tall_triangle(const Array& a);

}  // namespace quill
