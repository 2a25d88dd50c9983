// UTF-8 text: decoding, display widths, nearest names, lists in prose.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace quill {

// One decoded character; `length` is its bytes. Malformed input decodes as U+FFFD, one byte long.
struct Character {
  char32_t code = 0;
  int length = 0;
  bool valid = true;
};
Character decode(std::string_view text, std::size_t at);
void append_utf8(std::string& out, char32_t code);

// Offset of the first malformed byte, or npos.
std::size_t find_malformed(std::string_view text);
std::size_t count_characters(std::string_view text);
// The largest offset not above `at` where a character starts.
std::size_t start_of_character(std::string_view text, std::size_t at);

bool is_letter(char32_t code);
// Columns that the text takes in a terminal: 2 for wide characters, 0 for combining ones.
std::size_t display_width(std::string_view text);
// The text as one line, with control characters, bidirectional formatting characters and malformed bytes
// replaced by visible escapes.
std::string printable(std::string_view text);
// The same, keeping line ends and tabs; safe for terminals.
std::string printable_lines(std::string_view text);
// As a text literal of the language; reads back to the same text unless that has malformed bytes.
std::string in_quotes(std::string_view text);
// Escaped for XML and HTML content and double-quoted attributes.
std::string escaped_markup(std::string_view text);
// At most `width` columns, with … for the omitted end.
std::string shortened(std::string_view text, std::size_t width);
// The same with … in the middle.
std::string shortened_in_middle(std::string_view text, std::size_t width);
// Padded with spaces to a display width.
std::string pad_right(std::string_view text, std::size_t width);
std::string pad_left(std::string_view text, std::size_t width);
// Lines of at most `width` columns, broken at spaces; existing line ends are kept.
std::vector<std::string> wrap(std::string_view text, std::size_t width);
std::string_view trim(std::string_view text);
// Upper and lower case by the simple case mapping of Unicode.
std::string to_upper(std::string_view text);
std::string to_lower(std::string_view text);
// Replaces mathematical alphanumeric characters by plain ones.
std::string without_alphabets(std::string_view text);

// The element of `known` that `name` probably means: one that begins with it, or one within a small edit
// distance (with transpositions, at most a third of the length); "" if there is none.
std::string nearest_name(std::string_view name, const std::vector<std::string>& known);

// "a", "a and b", "a, b and c"
std::string list_in_prose(const std::vector<std::string>& items, std::string_view last = "and");

}  // namespace quill
