// Sorting, searching and sets. Ascending order of numbers with nan last, of texts by bytes, of booleans with
// false first.
#pragma once

#include "array/array.h"

namespace quill {

// Sorts every line along the axis in ascending or descending order; stable, nan last in both. Throws Error
// for complex numbers and `any`.
Array sorted(const Array& a, int axis, bool descending);
// The 1-based indices that sort every line: a[sort_order(a)] is sorted.
Array sort_order(const Array& a, int axis, bool descending);
// The distinct elements in ascending order, nan once.
Array unique(const Array& a);
// For each query the 1-based index of the last element of an ascending vector that is not greater; 0 if all
// are greater. Bisection.
Array locate(const Array& rising, const Array& queries);
// Whether each element of a is in `set`; nan equals nan.
Array member(const Array& a, const Array& set);

// out[k] = sum of the values whose index is k. Indices count from 1 to `size`; values have the shape of the
// indices or are single.
Array bin_sums(const Array& positions, const Array& values, Index size);

}  // namespace quill
