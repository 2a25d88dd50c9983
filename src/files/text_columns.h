// Tables without delimiters: columns separated by blanks or of fixed width, as written by instruments.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "files/csv.h"

namespace quill {

// The table with tabs between fields, line by line; nothing if it contains a delimiter. The header is a
// comment (# or
// %) directly before the first row with as many words as fields, or a first line of words. Units are in
// brackets after the names, or in a second line.
struct TabSeparated {
  std::string text;
  bool has_header = false;
};
std::optional<TabSeparated> as_tab_separated(std::string_view text, const CsvOptions& options);

// Converts a file to UTF-8. `encoding`: "utf-8", "latin-1", "windows-1252", "utf-16", or "" to use the byte
// order mark, UTF-8 without one. Throws Error for invalid bytes.
std::string decoded(std::string bytes, const std::string& encoding, const std::string& name);

}  // namespace quill
