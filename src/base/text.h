// UTF-8 text: characters, display widths, nearest names, lists in prose.
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
// Columns a terminal needs for the text: 2 for wide characters, 0 for combining ones.
std::size_t display_width(std::string_view text);
// As one line: control characters, signs that turn the direction of writing, and malformed bytes replaced by
// visible escapes.
std::string printable(std::string_view text);
// The same with line ends and tabs kept: what is fit for a terminal.
std::string printable_lines(std::string_view text);
// In quotes, as a program would write it: reads back to the same text, unless that has malformed bytes.
std::string in_quotes(std::string_view text);
// For the inside of XML and HTML, attributes in double quotes included.
std::string escaped_markup(std::string_view text);
// At most `width` columns of the text, with … for what is left out.
std::string shortened(std::string_view text, std::size_t width);
// The same with its beginning and its end.
std::string shortened_in_middle(std::string_view text, std::size_t width);
// The text filled up with spaces to a display width.
std::string pad_right(std::string_view text, std::size_t width);
std::string pad_left(std::string_view text, std::size_t width);
// Lines of at most `width` columns, broken at spaces; line ends in the text are kept.
std::vector<std::string> wrap(std::string_view text, std::size_t width);
std::string_view trim(std::string_view text);
// Letters as capitals or small ones, character by character (the simple case mapping of Unicode).
std::string to_upper(std::string_view text);
std::string to_lower(std::string_view text);
// Letters and digits of mathematical alphabets as plain ones.
std::string without_alphabets(std::string_view text);

// The name in `known` that `name` most likely meant, or "" when none is close: one that begins with it, or
// one at a small edit distance (with transpositions, at most a third of the length).
std::string nearest_name(std::string_view name, const std::vector<std::string>& known);

// "a", "a and b", "a, b and c"
std::string list_in_prose(const std::vector<std::string>& items, std::string_view last = "and");

}  // namespace quill
