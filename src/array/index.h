// Selection and assignment of elements.
#pragma once

#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// A subscript with indices counted from 0.
struct Subscript {
  enum class Kind : std::uint8_t { position, run, positions, new_axis, rest };
  Kind kind = Kind::run;
  Index first = 0, step = 1, count = 0;  // run; position uses `first`
  std::vector<Index> positions;          // for `positions`, in the given order
};

// Subscripts from numbers counted from 1. Throw an Error with the valid range.
Index checked_position(double position, Index extent, int axis, int axes);
Subscript position_subscript(double position, Index extent, int axis, int axes);
// first, first+step, … up to and including last.
Subscript run_subscript(double first, double last, double step, Index extent, int axis, int axes);
// The indices of an array in row order, whatever its shape.
Subscript positions_subscript(const Array& positions, Index extent, int axis, int axes);
Subscript mask_subscript(const Array& mask, Index extent, int axis);
Subscript everything(Index extent);

// Replaces `rest` by whole axes. Throws Error if the number of subscripts does not match the array.
std::vector<Subscript> complete(std::span<const Subscript> subscripts, const Shape& shape);

// Composes two complete selections: `inner` applied to the result of `outer`.
std::vector<Subscript> chosen_within(std::span<const Subscript> outer, std::span<const Subscript> inner);

// The selected elements. Single indices and runs give a view; lists are copied.
Array select(const Array& a, std::span<const Subscript> subscripts);
// Elements where the mask (of the same shape) is true, in row order.
// The part of `whole`, as a copy if it is small: writes to the whole then need not copy all of it because a
// small part is still in use.
Array apart_if_small(Array part, const Array& whole);
Array select_mask(const Array& a, const Array& mask);

// Assigns `values`, broadcast, to the selected elements. Types must agree.
void assign(Array& a, std::span<const Subscript> subscripts, const Array& values);
// `values` broadcasts to the array's shape, or is a vector with one element for each true element of the
// mask.
void assign_mask(Array& a, const Array& mask, const Array& values);
// Whether two views of one row-major array are certain to be disjoint.
bool are_apart(const Array& whole, const Array& a, const Array& b);
// Whether a list contains an index twice.
bool has_repeats(std::span<const Subscript> subscripts);

}  // namespace quill
