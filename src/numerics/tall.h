// Factorization of tall matrices by blocks of rows.
#pragma once

#include "array/array.h"

namespace quill {

// Whether factorization by blocks pays: each block stays in the cache, and threads share the blocks.
bool is_tall(Index rows, Index columns);

// A = Q R of a tall row-major matrix of float64 or complex128, which is overwritten by Q; returns the
// triangle R (J. Demmel, L. Grigori, M. Hoemmen, J. Langou, 2012). Independent of the number of threads.
Array tall_qr_in_place(Array& a);

// Only R; the matrix is unchanged.
Array tall_triangle(const Array& a);

}  // namespace quill
