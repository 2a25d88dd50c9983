// Row operations of tables, for built-ins that accept arrays and tables.
#pragma once

#include <optional>
#include <span>

#include "builtins/columns.h"

namespace quill {

// Argument i as a table; null if it is not a record. Throws Error if it is a record but not a table.
const RecordObject* find_table(const Call& call, std::size_t i);
// Concatenates the rows of tables with the same columns, in any order; the result has the column order of the
// first table. Throws Error if columns or their types differ.
Value stacked_tables(std::span<const Value> tables);
// Appends a row, a record of single values, to a table; in place if the table is not shared. Throws Error,
// and leaves the table unchanged, if the fields or types differ.
void append_table_row(Value& table, const Value& row);
// Distinct rows, sorted by the columns from left to right.
Value different_rows(const RecordObject& table);

}  // namespace quill
