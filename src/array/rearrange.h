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
// The same elements in row order with other extents; one extent may be -1 and is computed.
// An Error gives the count of elements and shapes near the wanted one that fit.
Array reshape(const Array& a, const std::vector<Index>& extents);
// The axes named come first and are laid together, in the order named.
Array with_axes_joined(const Array& a, std::span<const int> axes);
Array reversed(const Array& a, int axis);
Array flattened(const Array& a);
// Adds one more element to a vector, or row to a matrix, in amortised constant time when nobody else holds
// a's storage. The item is converted into a's type; only an empty vector takes type and shape of the item.
// After an Error a is as it was.
void append(Array& a, const Array& item);
// n copies end to end along an axis.
Array repeated(const Array& a, Index n, int axis);
// The elements moved on by `by` positions along an axis, the last ones coming in at the front.
Array rotated(const Array& a, Index by, int axis);
Array identity(Index n);

// Contracts the last axis of a with the first of b: matrix × matrix, matrix × vector, vector × matrix,
// vector × vector. Real or complex, by BLAS for matrices.
Array matrix_product(const Array& a, const Array& b);

}  // namespace quill
