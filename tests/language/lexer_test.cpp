#include <catch2/catch.hpp>

#include "language/token.h"

using namespace quill;

namespace {

Lexed lexed(const std::string& text) {
  const auto source = std::make_shared<Source>("t", text);
  return lex(source, {0, static_cast<std::uint32_t>(text.size())});
}

}  // namespace

TEST_CASE("tokens of a text") {
  struct Row {
    std::string text, tokens;
  };
  const std::vector<Row> rows = {
      {"a = 1", "| a = 1 | end"},
      {"1..10 by 2", "| 1 .. 10 by 2 | end"},
      {"a[..., 1]", "| a [ ... , 1 ] | end"},
      {"2.5e-3 0xff 1_000_000 2i 1e3i", "| 0.0025 255 1000000 2i 1000i | end"},
      {"a*+b' ^ -c", "| a *+ b ' ^ - c | end"},
      {"x ≤ 3 ≥ 2 ≠ 1", "| x <= 3 >= 2 != 1 | end"},
      {"λ_1 = π", "| λ_1 = π | end"},
      {"a # comment\nb", "| a | b | end"},
      {"\"a\\n{{}}\"", "| \"a\n{}\" | end"},
      {"`a\\n{x}`", "| \"a\\n{x}\" | end"},
      {"\"d {f(\"x:y\"):.2f} m\"", "| \"d {4..12:.2f} m\" | end"},
      {"\"\"\"\ntwo\nlines\"\"\"", "| \"two\nlines\" | end"},
      {"\"\\u{3bb}\\$\"", "| \"λ$\" | end"},
      {"if x then 1 else 2", "| if x then 1 else 2 | end"},
      {"a+=1; b -= 2", "| a += 1 ; b -= 2 | end"},
      {"\xEF\xBB\xBF"
       "a",
       "| a | end"},
  };
  for (const auto& row : rows) {
    const auto result = lexed(row.text);
    CAPTURE(row.text);
    CHECK(result.errors.empty());
    CHECK(dump(result) == row.tokens);
  }
}

TEST_CASE("malformed tokens are reported with their place, and reading goes on") {
  struct Row {
    std::string text, message, hint;
    std::uint32_t begin, end;
  };
  const std::vector<Row> rows = {
      {"a = 3.", "a number must not end with a dot", "write 3 or 3.0", 4, 6},
      {"a = .5", "a number must not start with a dot", "0.5", 4, 6},
      {"3x", "a name must not start with a digit; write a product with *", "3*x", 0, 2},
      {"1e999", "this number is too large: the largest is about 1.8e308", "", 0, 5},
      {"0x", "`0x` must be followed by hexadecimal digits", "", 0, 2},
      {"\"abc", "unclosed text", "end it with \"; texts of several lines are written between \"\"\"", 0, 4},
      {"`abc", "unclosed text", "a raw text ends with `", 0, 4},
      {"\"a } b\"", "unmatched } in a text", "write }} for a brace", 0, 4},
      {"\"a {b\"", "unclosed braces in a text", "write {{ for a brace", 3, 6},
      {"\"$\\theta$\"", "`\\theta` starts an escape, and some letters, in a quoted text",
       "a raw text between backticks needs no escapes: `$\\theta$`", 2, 8},
      {"a ** b", "`**` is not an operator", "powers are written ^", 2, 4},
      {"a && b", "`&&` is not an operator", "write and", 2, 4},
      {"!a", "`!` is not an operator", "write not, or != for inequality", 0, 1},
      {"a ? b", "`?` is not an operator", "write if c then a else b", 2, 3},
      {"a \xff", "this byte is not UTF-8 text", "", 2, 3},
  };
  for (const auto& row : rows) {
    const auto result = lexed(row.text);
    CAPTURE(row.text);
    REQUIRE_FALSE(result.errors.empty());
    const auto& e = result.errors[0];
    CHECK(e.message == row.message);
    CHECK(e.hint == row.hint);
    CHECK(e.location.span.begin == row.begin);
    CHECK(e.location.span.end == row.end);
    CHECK(result.tokens.back().id == Token::end);
  }
  CHECK(lexed("\"\\q\" + 1 \"\\w\"").errors.size() == 2);
}

TEST_CASE("prose stands with the token below it") {
  const auto result = lexed("#: Decay.\n#: Per day.\nfn f(x) = x\n\n#: lost\n\nfn g(x) = x");
  CHECK(result.tokens[0].prose == "Decay.\nPer day.");
  for (const auto& t : result.tokens)
    if (t.id == Token::kw_fn && t.span.begin > 10 && t.span.begin > 40) CHECK(t.prose.empty());
}
