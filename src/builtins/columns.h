// Tables: records whose fields are columns, vectors of one length.
#pragma once

#include <string>
#include <vector>

#include "array/ranks.h"
#include "value/registry.h"

namespace quill {

// Argument i as a table; otherwise throws an Error naming it and the column that does not fit.
const RecordObject& table_argument(const Call& call, std::size_t i);
Index length_of(const RecordObject& table);
// Column names from argument i, one text or several; all must exist in the table.
std::vector<std::string> column_names(const Call& call, std::size_t i, const RecordObject& table);
// Rows by index, from 0; -1 gives a row of missing values.
Value rows_at(const RecordObject& table, const std::vector<Index>& indices);
// Ranks of the rows in lexicographic order of these columns.
Ranks row_ranks(const RecordObject& table, const std::vector<std::string>& names);
// Throws Error if a column of integers that has to become float64 contains integers beyond 2^53.
void refuse_beyond_float64(const Array& column, const std::string& reason);
// The table sorted by the columns that argument i names, in their order of precedence.
Value sorted_table(const Call& call, const RecordObject& table, std::size_t i, bool descending);
// Joins two tables on equal values of the columns `by`. keep: which rows without a match are kept: none
// ("both"), those of the left table ("left"), or all ("all").
Value joined_tables(const RecordObject& left, const RecordObject& right, const std::vector<std::string>& by,
                    const std::string& keep);

// The built-in group.
Value group_row(Call& call);

}  // namespace quill
