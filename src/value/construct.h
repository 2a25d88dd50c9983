// Arrays out of brackets, comprehensions and ranges, and values taken apart.
#pragma once

#include <span>

#include "language/tree.h"
#include "value/value.h"

namespace quill {

// Bracket rows laid together; node is the matrix node.
Value make_matrix(std::span<const Value> items, const Node& node);
// A comprehension's results stacked on new first axes; rows >= 0 makes a matrix of that many rows.
Value collect(std::vector<Value> items, Index rows);
Value make_range(const Value& first, const Value& last, const Value* third, bool is_count);
// Element k, from 0, along the first axis: a number of a vector, a row of a matrix; a single value is its
// own.
Value element_of(const Array& array, Index k);
// The parts for `count` targets.
std::vector<Value> unpacked(const Value& value, int count);
}  // namespace quill
