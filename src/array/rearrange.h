// Laying arrays together, turning them and multiplying them as matrices.
#pragma once

#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// The arrays end to end along an axis; the other extents must agree. Types are made equal.
Array join(std::span<const Array> parts, int axis);
// Equal shapes on a new first axis.
Array stack(std::span<const Array> parts);
// The same elements in row order with other extents; one extent may be -1 and is worked out.
// An Error gives the count of elements and shapes near the wanted one that fit.
Array reshape(const Array& a, const std::vector<Index>& extents);
Array reversed(const Array& a, int axis);
Array flattened(const Array& a);
// The vector's or matrix's content after one more element or row.
Array appended(const Array& a, const Array& item);
Array identity(Index n);

// Contracts the last axis of a with the first of b: matrix × matrix, matrix × vector, vector × matrix,
// vector × vector. Real or complex, by BLAS for matrices.
Array matrix_product(const Array& a, const Array& b);

}  // namespace quill
