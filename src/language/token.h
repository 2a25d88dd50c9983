// Table of tokens with spelling and binding powers. Used by lexer, parser, source printer and fuzz
// dictionary.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "base/operators.h"

namespace quill {

enum class Token : std::uint8_t {
  end,
  number,
  text,
  name,
  kw_fn,
  kw_if,
  kw_then,
  kw_else,
  kw_for,
  kw_in,
  kw_while,
  kw_break,
  kw_continue,
  kw_return,
  kw_and,
  kw_or,
  kw_not,
  kw_true,
  kw_false,
  kw_none,
  kw_last,
  kw_new,
  open_paren,
  close_paren,
  open_bracket,
  close_bracket,
  open_brace,
  close_brace,
  comma,
  semicolon,
  colon,
  dot,
  range,
  ellipsis,
  bar,
  transpose,
  matrix_times,
#define QUILL_TOKEN(name, functor, token, ...) token,
  QUILL_ARITHMETIC_OPERATORS(QUILL_TOKEN) QUILL_COMPARISON_OPERATORS(QUILL_TOKEN)
#undef QUILL_TOKEN
      assign,
#define QUILL_TOKEN(name, functor, token, ...) assign_##token,
  QUILL_ARITHMETIC_OPERATORS(QUILL_TOKEN)
#undef QUILL_TOKEN
};

struct TokenRow {
  Token id;
  std::string_view spelling;  // as written, or a description in angle brackets
  int left = 0;               // binding power to the left; 0: not a binary operator
  int right = 0;
};

// Loosest to tightest: or, and, not, comparison, range, sum, product, sign, power, call.
namespace power {
inline constexpr int logical_not = 25, comparison = 30, range = 40, sum = 50, product = 60, sign = 70,
                     postfix = 90;
}

inline constexpr std::array kTokens = {
    TokenRow{Token::end, "<end of the text>"},
    TokenRow{Token::number, "<number>"},
    TokenRow{Token::text, "<text>"},
    TokenRow{Token::name, "<name>"},
    TokenRow{Token::kw_fn, "fn"},
    TokenRow{Token::kw_if, "if"},
    TokenRow{Token::kw_then, "then"},
    TokenRow{Token::kw_else, "else"},
    TokenRow{Token::kw_for, "for"},
    TokenRow{Token::kw_in, "in"},
    TokenRow{Token::kw_while, "while"},
    TokenRow{Token::kw_break, "break"},
    TokenRow{Token::kw_continue, "continue"},
    TokenRow{Token::kw_return, "return"},
#define QUILL_ROW(name, functor, token, spelling, left, right) TokenRow{Token::token, spelling, left, right},
    QUILL_LOGICAL_OPERATORS(QUILL_ROW)
#undef QUILL_ROW
        TokenRow{Token::kw_not, "not"},
    TokenRow{Token::kw_true, "true"},
    TokenRow{Token::kw_false, "false"},
    TokenRow{Token::kw_none, "none"},
    TokenRow{Token::kw_last, "last"},
    TokenRow{Token::kw_new, "new"},
    TokenRow{Token::open_paren, "("},
    TokenRow{Token::close_paren, ")"},
    TokenRow{Token::open_bracket, "["},
    TokenRow{Token::close_bracket, "]"},
    TokenRow{Token::open_brace, "{"},
    TokenRow{Token::close_brace, "}"},
    TokenRow{Token::comma, ","},
    TokenRow{Token::semicolon, ";"},
    TokenRow{Token::colon, ":"},
    TokenRow{Token::dot, "."},
    TokenRow{Token::range, "..", power::range, power::range + 1},
    TokenRow{Token::ellipsis, "..."},
    TokenRow{Token::bar, "|"},
    TokenRow{Token::transpose, "'"},
    TokenRow{Token::matrix_times, "*+", power::product, 61},
#define QUILL_ROW(name, functor, token, spelling, left, right) TokenRow{Token::token, spelling, left, right},
    QUILL_ARITHMETIC_OPERATORS(QUILL_ROW) QUILL_COMPARISON_OPERATORS(QUILL_ROW)
#undef QUILL_ROW
        TokenRow{Token::assign, "="},
#define QUILL_ROW(name, functor, token, spelling, ...) TokenRow{Token::assign_##token, spelling "="},
    QUILL_ARITHMETIC_OPERATORS(QUILL_ROW)
#undef QUILL_ROW
};
static_assert([] {
  for (std::size_t i = 0; i < kTokens.size(); ++i)
    if (static_cast<std::size_t>(kTokens[i].id) != i) return false;
  return true;
}());

inline const TokenRow& row_of(Token token) { return kTokens[static_cast<std::size_t>(token)]; }
// "`+`", "a name"
std::string in_words(Token token);

// A piece of a text literal: characters, or an expression in braces with its format specification.
struct TextPiece {
  std::string literal;
  bool is_hole = false;
  Span hole;
  std::string specification;
};

struct Lexeme {
  Token id = Token::end;
  Span span;
  bool line_start = false;  // first token on its line
  bool spaced = false;      // preceded by white space
  double number = 0;
  bool imaginary = false;
  std::string name;
  std::vector<TextPiece> pieces;  // of a text
  std::string prose;              // the `#:` lines directly before
};

struct Lexed {
  std::vector<Lexeme> tokens;  // the last one has the kind end
  std::vector<Error> errors;
};

// Splits the part `range` of the source into tokens; continues after errors.
Lexed lex(const SourcePtr& source, Span range);

// One token a line: "name \"x\"", "number 3", …
std::string dump(const Lexed& lexed);

}  // namespace quill
