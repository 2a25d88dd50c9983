// Tables: records whose fields are columns, vectors of one length.
#pragma once

#include <string>
#include <vector>

#include "array/ranks.h"
#include "value/registry.h"

namespace quill {

// Argument i as a table; an Error that names it, and the column that does not fit, when it is none.
const RecordObject& table_argument(const Call& call, std::size_t i);
Index length_of(const RecordObject& table);
// The names of columns that argument i gives, one text or several, all of which the table has.
std::vector<std::string> column_names(const Call& call, std::size_t i, const RecordObject& table);
// The rows at these positions, from 0; -1 is a row of missing values.
Value rows_at(const RecordObject& table, const std::vector<Index>& places);
// The ranks of the rows by these columns, the first one first.
Ranks row_ranks(const RecordObject& table, const std::vector<std::string>& names);
// Error when a column of integers has some of more digits than float64, which they would become.
void refuse_beyond_float64(const Array& column, const std::string& reason);
// The table in the order of the columns that argument i names, the first one first.
Value sorted_table(const Call& call, const RecordObject& table, std::size_t i, bool descending);
// Two tables side by side where their columns `by` agree. keep: whether rows without a partner stay: none of
// them
// ("both"), those of the left table ("left"), or all ("all").
Value joined_tables(const RecordObject& left, const RecordObject& right, const std::vector<std::string>& by,
                    const std::string& keep);

}  // namespace quill
