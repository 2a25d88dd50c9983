// Tables without a delimiter: columns with blanks between them, or of fixed widths, as instruments write
// them.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "files/csv.h"

namespace quill {

// The same table with tabs between the fields, line by line; nothing when a delimiter stands in it. A comment
// (# or %) right above the first row that has as many words as it has fields is the header; so is a first
// line of words. Units stand in brackets after the names, or in a second line.
struct TabSeparated {
  std::string text;
  bool has_header = false;
};
std::optional<TabSeparated> as_tab_separated(std::string_view text, const CsvOptions& options);

// The text of a file in UTF-8. `encoding`: "utf-8", "latin-1", "windows-1252", "utf-16", or "" for what a
// byte order mark says, and UTF-8 without one. Error when the bytes are no such text.
std::string decoded(std::string bytes, const std::string& encoding, const std::string& name);

}  // namespace quill
