// Sorting, searching and sets. Numbers rise, nan stands last; texts go by their bytes; false before true.
#pragma once

#include "array/array.h"

namespace quill {

// Every line along the axis in rising or falling order; equal elements keep their order, and nan stands last
// either way. Error for complex numbers and `any`.
Array sorted(const Array& a, int axis, bool falling);
// The 1-based positions that put every line in order: a[sort_order(a)] is sorted.
Array sort_order(const Array& a, int axis, bool falling);
// The different elements in rising order, nan once.
Array unique(const Array& a);
// For each query the 1-based position of the last element of a rising vector that is not above it; 0 when all
// are. Bisection.
Array locate(const Array& rising, const Array& queries);
// Whether each element of a is one of `set`; nan is one when the set has it.
Array member(const Array& a, const Array& set);

// out[k] = the sum of the values whose position is k. Positions count from 1 to `size`; values have the shape
// of positions or are single.
Array bin_sums(const Array& positions, const Array& values, Index size);

}  // namespace quill
