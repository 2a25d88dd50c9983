// Construction of arrays from brackets, comprehensions and ranges, and unpacking of values.
#pragma once

#include <optional>
#include <span>
#include <vector>

#include "value/value.h"

namespace quill {

// The form of a bracket expression.
struct BracketForm {
  std::vector<int> lengths;   // items of each row
  std::vector<bool> literal;  // which items are numbers written in the text
  bool is_matrix = false;     // contains `|`
};
// Matrix from rows of items.
Value make_matrix(std::span<const Value> items, const BracketForm& form);
// Stacks the results of a comprehension on a new first axis, or on two axes for a grid of two loops.
Value collect(std::vector<Value> items, const std::optional<Shape>& grid = std::nullopt);
// A range of numbers; of timestamps if the first end is one; of int64 if an end of that type is not exact in
// float64.
Value make_range(const Value& first, const Value& last, const Value* third, bool is_count);
// Element k, from 0, along the first axis: a number of a vector, a row of a matrix. A single value is its own
// element.
Value element_of(const Array& array, Index k);
// The element at an offset of an array of texts, values or timestamps; nothing for other types, and for
// arrays with names of axes.
std::optional<Value> element_at(const Array& array, Index offset);
// Number of rows of a table: a record whose fields are vectors of equal length. Nothing for other values.
std::optional<Index> table_length(const Value& value);
// Row k, from 0, of a table: a record of single values.
Value row_of(const RecordObject& table, Index k);
// The records in a list of records with equal fields; nothing for other values.
std::optional<std::vector<Value>> records_in(const Value& value);
// Records with equal fields as a table of columns.
Value columns_of(std::span<const Value> records);
// The parts of a value that is assigned to `count` names.
std::vector<Value> unpacked(const Value& value, int count);
}  // namespace quill
