// Arrays out of brackets, comprehensions and ranges, and values taken apart.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "value/value.h"

namespace quill {

// Brackets as they are written.
struct BracketForm {
  std::vector<int> lengths;   // items of each row
  std::vector<bool> literal;  // which items are numbers written in the text
  bool is_matrix = false;     // a `|` was written
};
// Rows laid together.
Value make_matrix(std::span<const Value> items, const BracketForm& form);
// A comprehension's results stacked on a new first axis, or on two that have the sizes of the grid.
Value collect(std::vector<Value> items, const std::optional<Shape>& grid = std::nullopt);
// Of numbers, of times when the first end is one, and of int64 when an end of that type is beyond what
// float64 holds exactly.
Value make_range(const Value& first, const Value& last, const Value* third, bool is_count);
// Element k, from 0, along the first axis: a number of a vector, a row of a matrix; a single value is its
// own.
Value element_of(const Array& array, Index k);
// How many rows a table has: a record whose fields are columns, vectors of one length. Nothing for all else.
std::optional<Index> table_length(const Value& value);
// Row k, from 0, of a table: a record of single values.
Value row_of(const RecordObject& table, Index k);
// The records in a list of records with the same fields; nothing for all else.
std::optional<std::vector<Value>> records_in(const Value& value);
// Records with the same fields as a table of their columns.
Value columns_of(std::span<const Value> records);
// The parts for `count` targets.
std::vector<Value> unpacked(const Value& value, int count);
}  // namespace quill
