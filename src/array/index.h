// Choosing and assigning elements.
#pragma once

#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// One subscript with positions already counted from 0.
struct Subscript {
  enum class Kind : std::uint8_t { position, run, positions, new_axis, rest };
  Kind kind = Kind::run;
  Index first = 0, step = 1, count = 0;  // run; position uses `first`
  std::vector<Index> positions;          // positions, in the order asked for
};

// A subscript from numbers counted from 1; they throw an Error that shows the valid range.
Index checked_position(double position, Index extent, int axis, int axes);
Subscript position_subscript(double position, Index extent, int axis, int axes);
// first, first+step, … up to last, both ends included.
Subscript run_subscript(double first, double last, double step, Index extent, int axis, int axes);
// The positions in row order, whatever the shape of the array.
Subscript positions_subscript(const Array& positions, Index extent, int axis, int axes);
Subscript mask_subscript(const Array& mask, Index extent, int axis);
Subscript everything(Index extent);

// The subscripts with `rest` replaced by whole axes. Error when their number does not fit the array.
std::vector<Subscript> complete(std::span<const Subscript> subscripts, const Shape& shape);

// What is chosen when `inner`, of the array that `outer` chooses, is applied; both are complete.
std::vector<Subscript> chosen_within(std::span<const Subscript> outer, std::span<const Subscript> inner);

// The chosen elements. Positions and runs give a view of the same storage, lists are gathered.
Array select(const Array& a, std::span<const Subscript> subscripts);
// Elements where the mask (of the array's own shape) is true, in row order.
Array select_mask(const Array& a, const Array& mask);

// Writes `values`, broadcast, to the chosen places. Types have been made equal by the caller.
void assign(Array& a, std::span<const Subscript> subscripts, const Array& values);
// `values` broadcasts to the array's shape, or is a vector with one element for each true one.
void assign_mask(Array& a, const Array& mask, const Array& values);
// Whether two views of one array in row order surely have no element in common.
bool are_apart(const Array& whole, const Array& a, const Array& b);
// Whether a list names one position twice.
bool has_repeats(std::span<const Subscript> subscripts);

}  // namespace quill
