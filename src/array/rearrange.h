// Concatenation, reshaping, rotation and matrix products of arrays.
#pragma once

#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// Concatenates along an axis; other extents must agree. Converts to a common type.
Array join(std::span<const Array> parts, int axis);
// Stacks arrays of equal shape along a new first axis.
Array stack(std::span<const Array> parts);
// The same elements in row order with other extents; one extent may be -1 and is computed. An Error gives the
// element count and nearby shapes that fit.
Array reshape(const Array& a, const std::vector<Index>& extents);
// Moves the given axes to the front and merges them, in the given order.
Array with_axes_joined(const Array& a, std::span<const int> axes);
Array reversed(const Array& a, int axis);
Array flattened(const Array& a);
// Appends an element to a vector, or a row to a matrix, in amortised constant time if a's storage is
// unshared. The item is converted to a's type; an empty vector takes type and shape of the item. Unchanged
// after an Error.
void append(Array& a, const Array& item);
// n copies concatenated along an axis.
Array repeated(const Array& a, Index n, int axis);
// Rotates the elements by `by` positions along an axis.
Array rotated(const Array& a, Index by, int axis);
Array identity(Index n);

// Contracts the last axis of a with the first of b: matrix × matrix, matrix × vector, vector × matrix, vector
// × vector. Real or complex; matrices use BLAS.
Array matrix_product(const Array& a, const Array& b);

}  // namespace quill
