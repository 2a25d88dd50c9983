// Rows of tables where built-ins take arrays and tables alike.
#pragma once

#include <optional>
#include <span>

#include "builtins/columns.h"

namespace quill {

// The table that argument i is: nothing when it is no record, an Error when it is a record of something else.
const RecordObject* find_table(const Call& call, std::size_t i);
// Tables with the same columns, in any order, one under the other; columns in the order of the first. Error
// when a table has other columns, or a column other types.
Value stacked_tables(std::span<const Value> tables);
// Gives a table one more row, a record of single values with its fields; in place where nobody else holds it.
// After an Error the table is what it was.
void append_table_row(Value& table, const Value& row);
// The different rows, in the order of their columns.
Value different_rows(const RecordObject& table);
// Row k, from 0, as a record of single values.
Value row_of(const RecordObject& table, Index k);

}  // namespace quill
