// Tables in comma- or tab-separated text (RFC 4180, with comments and other delimiters).
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

// A column: numbers (missing ones are nan), timestamps (ISO 8601; seconds since 1970 with the unit kTimeUnit)
// or texts. The label holds name and unit: "depth (m)" in the header gives name `depth` and unit `m`.
struct Column {
  std::string name;
  Array values;
};

// Options that override detection.
struct CsvOptions {
  std::optional<char> delimiter;
  std::optional<char> decimal;  // '.' or ','
  std::optional<bool> header;
  std::vector<std::string> columns;                        // columns to read; empty: all
  std::vector<std::pair<std::string, std::string>> types;  // of columns: "float64", "int64", "text" or "time"
  std::string dates;                 // strftime format of times, in addition to ISO 8601
  std::vector<std::string> missing;  // fields that mean a missing value, besides the usual ones
  std::vector<std::pair<std::string, std::vector<std::string>>> missing_in;  // the same for single columns
  Index skip = 0;                                                            // lines before the table
  // For spreadsheets: the sheet by name, or by number from 1 (0: the first), and its cell range.
  std::string sheet;
  Index sheet_number = 0;
  std::string range;
  std::vector<Index> widths;  // column widths in characters, for files without delimiters
  // Treatment of rows with another number of fields, and of invalid numbers: an error or a text column,
  // omission of the row, or missing fields.
  enum class BadRows : std::uint8_t { error, skip, nan } bad_rows = BadRows::error;
  std::function<void(std::string message, std::string hint)> warn;  // reports findings
};

// Detects delimiter (comma, semicolon, tab, blanks) and header; with semicolons, decimal commas are accepted.
// Lines that start with # are comments. Quoted fields are texts. Columns of integers without missing values
// are int64. Errors give line and column of the text; `name` is the file's name.
std::vector<Column> read_csv(std::string_view text, const std::string& name, const CsvOptions& options = {});

// Whether the lines of a text are columns of numbers separated by blanks.
bool has_columns_between_blanks(std::string_view text);

// A header of names with units, then the rows. Numbers in shortest round-trip form; texts in quotes where
// they would be read as something else.
std::string write_csv(std::span<const Column> columns, char delimiter = ',');
// A single element as a field; empty for a missing time. The unit goes into the header.
struct CsvField {
  std::string unit, text;
};
CsvField csv_field(const Column& element);
// A text as a field.
std::string csv_field(const std::string& text);
// The same in columns of fixed width, separated by blanks.
std::string write_columns(std::span<const Column> columns);
// Rows of a matrix, or a vector as one column; without a header if they are numbers.
std::string write_csv(const Array& array, char delimiter = ',');

}  // namespace quill
