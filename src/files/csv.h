// Tables in comma- or tab-separated text (RFC 4180, with comments and other delimiters).
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "array/array.h"

namespace quill {

// A column: numbers (missing ones NaN), timestamps (ISO 8601; seconds since 1970 with the unit kTimeUnit)
// or text. The label holds name and unit; "depth (m)" in the header gives the name `depth` with the unit `m`.
struct Column {
  std::string name;
  Array values;
};

// What is said of a file in place of being recognised.
struct CsvOptions {
  std::optional<char> delimiter;
  std::optional<char> decimal;  // '.' or ','
  std::optional<bool> header;
  std::vector<std::string> columns;                        // only these; all when there are none
  std::vector<std::pair<std::string, std::string>> types;  // of columns: "float64", "int64", "text" or "time"
  std::string dates;                                       // format of times beside ISO 8601, as in strftime
  std::vector<std::string> missing;                        // fields that stand for nothing, beside the usual
  std::vector<std::pair<std::string, std::vector<std::string>>> missing_in;  // of single columns
  Index skip = 0;                                                            // lines before the table
  // Of spreadsheets: the sheet by its name, or else by its number from 1 (0: the first one), and its cells.
  std::string sheet;
  Index sheet_number = 0;
  std::string range;
  std::vector<Index> widths;  // of columns, in characters, where no delimiter stands between them
  // What becomes of rows with another number of fields, and of fields that are no number in a column of
  // numbers: an error and a column of texts, or the row is left out, or the fields are missing.
  enum class BadRows : std::uint8_t { error, skip, nan } bad_rows = BadRows::error;
  std::function<void(std::string message, std::string hint)> warn;  // of what was found
};

// Delimiter (comma, semicolon, tab, blanks) and header are recognised; with semicolons numbers may have a
// decimal comma. Lines that start with # are comments. A field in quotes is a text, whatever it looks like. A
// column of integers without gaps is int64. Errors give line and column of the text; `name` is the
// file's.
std::vector<Column> read_csv(std::string_view text, const std::string& name, const CsvOptions& options = {});

// Whether the lines of a text are columns of numbers with blanks between them.
bool has_columns_between_blanks(std::string_view text);

// A header of names with units, then the rows. Numbers with the shortest digits that read back exactly; texts
// in quotes where they would read as something else.
std::string write_csv(std::span<const Column> columns, char delimiter = ',');
// A single element, without axes, as a field of such a table; empty for a time that is missing. The unit is
// that of its header.
struct CsvField {
  std::string unit, text;
};
CsvField csv_field(const Column& element);
// A text as a field.
std::string csv_field(const std::string& text);
// The same in columns of one width with blanks between them.
std::string write_columns(std::span<const Column> columns);
// The rows of a matrix, or a vector as one column; without a header where they are numbers.
std::string write_csv(const Array& array, char delimiter = ',');

}  // namespace quill
