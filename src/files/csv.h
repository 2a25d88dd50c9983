// Tables in comma- or tab-separated text (RFC 4180, with comments and other delimiters).
#pragma once

#include <span>
#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

// A column: numbers (missing ones NaN), points in time (ISO 8601; seconds since 1970 with the unit kTimeUnit)
// or text. The label holds name and unit; "depth (m)" in the header gives the name `depth` with the unit `m`.
struct Column {
  std::string name;
  Array values;
};

// Delimiter (comma, semicolon, tab) and header are recognised; with semicolons numbers may have a decimal
// comma. Lines that start with # are comments. A field in quotes is a text, whatever it looks like. Errors
// give line and column of the text; `name` is the file's.
std::vector<Column> read_csv(std::string_view text, const std::string& name);

// A header of names with units, then the rows. Numbers with the shortest digits that read back exactly; texts
// in quotes where they would read as something else.
std::string write_csv(std::span<const Column> columns);
// The rows of a matrix, or a vector as one column; without a header where they are numbers.
std::string write_csv(const Array& array);

}  // namespace quill
