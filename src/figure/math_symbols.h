// The characters of mathematical text: symbols by their LaTeX names, and letters in mathematical alphabets.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// Spacing class of an atom of a formula (D. E. Knuth, The TeXbook, chapter 18).
enum class AtomClass : unsigned char { ordinary, large, binary, relation, open, close, punctuation };

struct MathSymbol {
  std::string_view text;
  AtomClass kind = AtomClass::ordinary;
  bool is_letter = false;    // set in italics like variables
  bool is_function = false;  // upright name
};
// By name without the backslash.
std::optional<MathSymbol> math_symbol(std::string_view name);
AtomClass class_of_character(char32_t code);

enum class Alphabet : unsigned char { italic, bold_italic, upright, bold, double_struck, script };
// The letter or digit in a mathematical alphabet (Unicode, Mathematical Alphanumeric Symbols); other
// characters unchanged.
char32_t in_alphabet(char32_t code, Alphabet alphabet);

}  // namespace quill
