#include "report/code.h"

#include <fmt/format.h>

#include "base/text.h"
#include "builtins/tables.h"
#include "language/token.h"

namespace quill {

namespace {

const char* class_of(const Lexeme& token, bool is_called) {
  if (token.id == Token::number) return "n";
  if (token.id == Token::text) return "s";
  if (token.id >= Token::kw_fn && token.id <= Token::kw_new) return "k";
  if (token.id != Token::name) return "";
  for (const auto* word : {"figure", "panel", "extend", "timed", "section", "given", "use", "expect"})
    if (token.name == word) return "k";
  return is_called && builtins().find(token.name) >= 0 ? "b" : "";
}

std::string marked(std::string_view text, std::string_view name) {
  return name.empty() ? escaped_markup(text)
                      : fmt::format("<span class=\"{}\">{}</span>", name, escaped_markup(text));
}

// Text between tokens: blanks and comments.
std::string between(std::string_view text) {
  std::string out;
  while (!text.empty()) {
    const auto sign = text.find('#');
    out += escaped_markup(text.substr(0, sign));
    if (sign == std::string_view::npos) break;
    const auto end = std::min(text.find('\n', sign), text.size());
    out += marked(text.substr(sign, end - sign), "c");
    text.remove_prefix(end);
  }
  return out;
}

}  // namespace

std::string highlighted(const std::string& code) {
  const auto source = std::make_shared<Source>("code", code);
  const auto lexed = lex(source, {0, static_cast<std::uint32_t>(code.size())});
  std::string out;
  std::size_t at = 0;
  for (std::size_t k = 0; k < lexed.tokens.size(); ++k) {
    const auto& token = lexed.tokens[k];
    if (token.id == Token::end || token.span.begin < at) continue;
    out += between(std::string_view(code).substr(at, token.span.begin - at));
    const bool is_called = k + 1 < lexed.tokens.size() && lexed.tokens[k + 1].id == Token::open_paren;
    out += marked(source->text(token.span), class_of(token, is_called));
    at = token.span.end;
  }
  return out + between(std::string_view(code).substr(at));
}

}  // namespace quill
