// The characters of mathematical text: symbols by their LaTeX names, and letters in mathematical alphabets.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// How an atom of a formula keeps its distance from its neighbours (D. E. Knuth, The TeXbook, chapter 18).
enum class AtomClass : unsigned char { ordinary, large, binary, relation, open, close, punctuation };

struct MathSymbol {
  std::string_view text;
  AtomClass kind = AtomClass::ordinary;
  bool is_letter = false;    // set in italics like other variables
  bool is_function = false;  // a name set upright
};
// By name without the backslash.
std::optional<MathSymbol> math_symbol(std::string_view name);
AtomClass class_of_character(char32_t code);

enum class Alphabet : unsigned char { italic, bold_italic, upright, bold, double_struck, script };
// A letter or digit in a mathematical alphabet (Unicode, Mathematical Alphanumeric Symbols); other characters
// as they are.
char32_t in_alphabet(char32_t code, Alphabet alphabet);

}  // namespace quill
