// Lexical analysis.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/number.h"
#include "base/text.h"
#include "language/token.h"

namespace quill {

std::string in_words(Token token) {
  switch (token) {
    case Token::end: return "the end";
    case Token::number: return "a number";
    case Token::text: return "a text";
    case Token::name: return "a name";
    default: return fmt::format("`{}`", row_of(token).spelling);
  }
}

namespace {

bool is_digit(char c) { return c >= '0' && c <= '9'; }
bool is_hex(char c) { return is_digit(c) || (c >= 'a' && c <= 'f') || (c >= 'A' && c <= 'F'); }

class Lexer {
 public:
  Lexer(const SourcePtr& source, Span range)
      : source_(source), text_(std::string_view(source->text()).substr(0, range.end)), at_(range.begin) {}

  Lexed run() {
    while (true) {
      skip_blanks();
      begin_ = at_;
      if (at_ >= text_.size()) break;
      try {
        next();
      } catch (Error& error) {
        if (out_.errors.size() < 20) out_.errors.push_back(std::move(error));
        if (at_ == begin_) ++at_;
      }
    }
    push(Token::end);
    out_.tokens.back().line_start = true;
    return std::move(out_);
  }

 private:
  char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }

  [[noreturn]] void fail_here(std::string message, std::string hint = {}) {
    const auto end = std::max(at_, begin_ + 1);
    fail_at(source_, {begin_, static_cast<std::uint32_t>(std::min<std::size_t>(end, text_.size()))},
            std::move(message), std::move(hint));
  }

  void push(Token id) {
    Lexeme t;
    t.id = id;
    t.span = {begin_, at_};
    t.line_start = line_start_;
    t.spaced = spaced_;
    if (!prose_.empty()) {
      if (line_start_) t.prose = std::move(prose_);
      prose_.clear();
    }
    out_.tokens.push_back(std::move(t));
    line_start_ = false;
    spaced_ = false;
  }

  void skip_blanks() {
    int breaks = 0;
    while (at_ < text_.size()) {
      const char c = peek();
      if (c == '\n') {
        line_start_ = true;
        spaced_ = true;
        ++at_;
        if (++breaks > 1) prose_.clear();
      } else if (c == ' ' || c == '\t' || c == '\r') {
        ++at_;
        spaced_ = true;
      } else if (c == '#') {
        const auto end = std::min(text_.find('\n', at_), text_.size());
        auto comment = text_.substr(at_, end - at_);
        if (comment.starts_with("#:") && line_start_) {
          comment.remove_prefix(2);
          prose_ += (prose_.empty() ? "" : "\n") + std::string(trim(comment));
        }
        at_ = static_cast<std::uint32_t>(end);
        breaks = 0;
      } else if (static_cast<unsigned char>(c) == 0xC2 && static_cast<unsigned char>(peek(1)) == 0xA0) {
        at_ += 2;  // a no-break space, as copied from web pages
      } else if (at_ == 0 && text_.starts_with("\xEF\xBB\xBF")) {
        at_ += 3;
      } else
        break;
    }
  }

  void next() {
    const char c = peek();
    if (is_digit(c)) return number();
    if (c == '"' || c == '`') return text();
    const auto character = decode(text_, at_);
    if (!character.valid) {
      ++at_;
      fail_here("this byte is not UTF-8 text");
    }
    if (is_letter(character.code) || c == '_') return word();
    symbol(character);
  }

  void word() {
    while (at_ < text_.size()) {
      const auto c = decode(text_, at_);
      if (!c.valid || !(is_letter(c.code) || c.code == '_' || (c.code < 0x80 && is_digit(peek())))) break;
      at_ += c.length;
    }
    const auto word = text_.substr(begin_, at_ - begin_);
    for (auto id = Token::kw_fn; id <= Token::kw_new && !is_field_name();
         id = static_cast<Token>(static_cast<int>(id) + 1))
      if (row_of(id).spelling == word) return push(id);
    push(Token::name);
    out_.tokens.back().name = word;
  }

  // Whether a word can only be a field or argument name: after a dot, or before a colon in parentheses.
  bool is_field_name() const {
    if (out_.tokens.empty()) return false;
    const auto before = out_.tokens.back().id;
    if (before == Token::dot) return true;
    if (before != Token::open_paren && before != Token::comma) return false;
    auto next = at_;
    while (next < text_.size() && (text_[next] == ' ' || text_[next] == '\t')) ++next;
    return next < text_.size() && text_[next] == ':';
  }

  void digits(std::string& into) {
    while (is_digit(peek()) || (peek() == '_' && is_digit(peek(1)))) {
      if (peek() != '_') into += peek();
      ++at_;
    }
  }

  void number() {
    std::string written;
    double value = 0;
    if (peek() == '0' && (peek(1) == 'x' || peek(1) == 'X')) {
      at_ += 2;
      if (!is_hex(peek())) fail_here("`0x` must be followed by hexadecimal digits");
      while (is_hex(peek()) || (peek() == '_' && is_hex(peek(1)))) {
        if (peek() != '_') value = value * 16 + (is_digit(peek()) ? peek() - '0' : (peek() | 32) - 'a' + 10);
        ++at_;
      }
      if (value >= 18446744073709551616.0) fail_here("this hexadecimal number does not fit 64 bits");
    } else {
      digits(written);
      if (peek() == '.' && peek(1) != '.') {
        ++at_;
        if (!is_digit(peek()))
          fail_here("a number must not end with a dot", fmt::format("write {0} or {0}.0", written));
        written += '.';
        digits(written);
      }
      const char after = peek(1);
      if ((peek() == 'e' || peek() == 'E') &&
          (is_digit(after) || ((after == '-' || after == '+') && is_digit(peek(2))))) {
        written += 'e';
        ++at_;
        if (peek() == '-') written += '-';
        if (!is_digit(peek())) ++at_;
        digits(written);
      }
      const auto parsed = parse_number(written);
      if (!parsed) fail_here("invalid number");
      value = *parsed;
      if (std::isinf(value)) fail_here("this number is too large: the largest is about 1.8e308");
    }
    bool imaginary = false;
    if (peek() == 'i' && !continues_word(at_ + 1)) {
      imaginary = true;
      ++at_;
    } else if (continues_word(at_)) {
      const auto digits_end = at_;
      while (continues_word(at_)) at_ += decode(text_, at_).length;
      const auto name = text_.substr(digits_end, at_ - digits_end);
      fail_here("a name must not start with a digit; write a product with *",
                fmt::format("{}*{}", text_.substr(begin_, digits_end - begin_), name));
    }
    push(Token::number);
    out_.tokens.back().number = value;
    out_.tokens.back().imaginary = imaginary;
  }

  bool continues_word(std::size_t at) const {
    if (at >= text_.size()) return false;
    const auto c = decode(text_, at);
    return c.valid && (is_letter(c.code) || c.code == '_' || (c.code < 0x80 && is_digit(text_[at])));
  }

  void text() {
    std::vector<TextPiece> pieces(1);
    if (peek() == '`') {
      const auto end = text_.find('`', at_ + 1);
      if (end == std::string_view::npos) {
        at_ = static_cast<std::uint32_t>(text_.size());
        fail_here("unclosed text", "a raw text ends with `");
      }
      pieces[0].literal = text_.substr(at_ + 1, end - at_ - 1);
      at_ = static_cast<std::uint32_t>(end + 1);
    } else if (text_.substr(at_).starts_with("\"\"\"")) {
      at_ += 3;
      if (peek() == '\r') ++at_;
      if (peek() == '\n') ++at_;
      quoted_or_skipped(pieces, true);
    } else {
      ++at_;
      quoted_or_skipped(pieces, false);
    }
    push(Token::text);
    out_.tokens.back().pieces = std::move(pieces);
  }

  // After an error in a text literal, continues after it.
  void quoted_or_skipped(std::vector<TextPiece>& pieces, bool triple) {
    try {
      quoted(pieces, triple);
    } catch (const Error&) {
      while (at_ < text_.size() && peek() != '"' && (triple || peek() != '\n'))
        at_ += peek() == '\\' && at_ + 1 < text_.size() ? 2 : 1;
      if (triple && text_.substr(at_).starts_with("\"\"\"")) at_ += 2;
      if (peek() == '"') ++at_;
      push(Token::text);  // the surrounding text is read as usual
      throw;
    }
  }

  void quoted(std::vector<TextPiece>& pieces, bool triple) {
    while (true) {
      if (at_ >= text_.size() || (!triple && peek() == '\n'))
        fail_here("unclosed text", triple
                                       ? "three quotes end it"
                                       : "end it with \"; texts of several lines are written between \"\"\"");
      const char c = peek();
      if (c == '"' && (!triple || text_.substr(at_).starts_with("\"\"\""))) {
        at_ += triple ? 3 : 1;
        return;
      }
      if (c == '\\') {
        escape(pieces.back().literal);
      } else if (c == '{' && peek(1) == '{') {
        pieces.back().literal += '{';
        at_ += 2;
      } else if (c == '}' && peek(1) == '}') {
        pieces.back().literal += '}';
        at_ += 2;
      } else if (c == '{') {
        pieces.push_back(hole(triple));
        pieces.emplace_back();
      } else if (c == '}') {
        ++at_;
        fail_here("unmatched } in a text", "write }} for a brace");
      } else {
        pieces.back().literal += c;
        ++at_;
      }
    }
  }

  void escape(std::string& into) {
    const char c = peek(1);
    // A mathematical name that starts like an escape: \theta, \rho, \nu.
    const bool in_formula = std::count(into.begin(), into.end(), '$') % 2 == 1;
    if (in_formula && (c == 't' || c == 'r' || c == 'n' || c == 'u') &&
        is_letter(static_cast<unsigned char>(peek(2)))) {
      const auto word_begin = at_;
      at_ += 2;
      while (at_ < text_.size() && is_letter(static_cast<unsigned char>(peek()))) ++at_;
      const auto word = std::string(text_.substr(word_begin, at_ - word_begin));
      begin_ = word_begin;
      fail_here(fmt::format("`{}` starts an escape, and some letters, in a quoted text", word),
                fmt::format("a raw text between backticks needs no escapes: `${}$`", word));
    }
    at_ += 2;
    switch (c) {
      case 'n': into += '\n'; return;
      case 't': into += '\t'; return;
      case 'r': into += '\r'; return;
      case '\\':
      case '"':
      case '\'':
      case '{':
      case '}':
      case '$': into += c; return;
      case 'u': {
        if (peek() != '{') break;
        const auto close = text_.find('}', at_);
        if (close == std::string_view::npos || close - at_ > 8 || close == at_ + 1) break;
        char32_t code = 0;
        for (auto i = at_ + 1; i < close; ++i) {
          if (!is_hex(text_[i])) fail_here("`\\u{…}` takes hexadecimal digits");
          code = code * 16 +
                 static_cast<char32_t>(is_digit(text_[i]) ? text_[i] - '0' : (text_[i] | 32) - 'a' + 10);
        }
        if (code > 0x10FFFF || (code >= 0xD800 && code < 0xE000)) fail_here("there is no such character");
        append_utf8(into, code);
        at_ = static_cast<std::uint32_t>(close + 1);
        return;
      }
      default: break;
    }
    fail_here(
        fmt::format("`\\{}` is not an escape", printable(std::string_view(&c, 1))),
        "known escapes: \\n \\t \\\" \\\\ \\{ \\} \\$ \\u{3bb}; a raw text between backticks needs none");
  }

  // An expression in braces: up to the closing brace, not counting nested brackets and texts. The format
  // specification starts at the first colon outside of them.
  TextPiece hole(bool triple) {
    const auto open = at_;
    ++at_;
    TextPiece piece;
    piece.is_hole = true;
    piece.hole = {at_, at_};
    std::string open_brackets;
    std::size_t colon = std::string_view::npos;
    while (true) {
      if (at_ >= text_.size() || (!triple && peek() == '\n')) {
        begin_ = open;
        at_ = open + 1;
        const auto failed_at = std::min(text_.find('\n', open), text_.size());
        at_ = static_cast<std::uint32_t>(failed_at);
        fail_here("unclosed braces in a text", "write {{ for a brace");
      }
      const char c = peek();
      if (c == '"' || c == '`') {
        skip_nested_text(c);
        continue;
      }
      if (open_brackets.empty() && c == '}') break;
      if (c == '(' || c == '[' || c == '{') open_brackets += c == '(' ? ')' : c == '[' ? ']' : '}';
      if ((c == ')' || c == ']' || c == '}') && !open_brackets.empty()) {
        if (open_brackets.back() != c) {
          const char missing = open_brackets.back();
          begin_ = open;
          const auto closed = fmt::format("{}{}{}", text_.substr(open, at_ - open), missing, c);
          ++at_;
          fail_here(fmt::format("`{}` is missing in the braces of this text", missing), closed);
        }
        open_brackets.pop_back();
      }
      if (c == ':' && open_brackets.empty() && colon == std::string_view::npos) colon = at_;
      ++at_;
    }
    piece.hole.end = static_cast<std::uint32_t>(std::min<std::size_t>(colon, at_));
    if (colon != std::string_view::npos) piece.specification = text_.substr(colon + 1, at_ - colon - 1);
    ++at_;
    return piece;
  }

  void skip_nested_text(char quote) {
    ++at_;
    int depth = 0;
    while (at_ < text_.size() && peek() != '\n') {
      const char c = peek();
      if (c == '\\' && quote == '"') {
        at_ += 2;
        continue;
      }
      if (c == quote && depth == 0) {
        ++at_;
        return;
      }
      if (quote == '"' && c == '{') ++depth;
      if (quote == '"' && c == '}' && depth > 0) --depth;
      ++at_;
    }
  }

  void symbol(const Character& character) {
    if (character.code == U'≤') return take(Token::less_equal, 3);
    if (character.code == U'≥') return take(Token::greater_equal, 3);
    if (character.code == U'≠') return take(Token::not_equal, 3);
    const auto rest = text_.substr(at_);
    struct Foreign {
      std::string_view spelling, hint;
    };
    constexpr Foreign foreign[] = {{"**", "powers are written ^"},
                                   {"&&", "write and"},
                                   {"&", "write and"},
                                   {"||", "write or"},
                                   {"//", "write floor(a / b); comments start with #"},
                                   {"→", "write fn(x) = …"},
                                   {"−", "write the ASCII minus sign: -"},
                                   {"×", "write *"},
                                   {"“", "write \""},
                                   {"”", "write \""},
                                   {"@", "functions are written fn(x) = …"},
                                   {"~", "write not"},
                                   {"?", "write if c then a else b"},
                                   {"<-", ""}};
    for (const auto& f : foreign)
      if (!f.hint.empty() && rest.starts_with(f.spelling)) {
        at_ += static_cast<std::uint32_t>(f.spelling.size());
        fail_here(fmt::format("`{}` is not an operator", f.spelling), std::string(f.hint));
      }
    for (const std::size_t length : {3, 2, 1}) {
      for (auto id = Token::open_paren; id <= Token::assign_power;
           id = static_cast<Token>(static_cast<int>(id) + 1)) {
        const auto& spelling = row_of(id).spelling;
        if (spelling.size() == length && rest.starts_with(spelling)) return take(id, length);
        if (id == Token::assign_power) break;
      }
    }
    at_ += static_cast<std::uint32_t>(character.length);
    if (character.code == '!') fail_here("`!` is not an operator", "write not, or != for inequality");
    fail_here(fmt::format("unexpected character `{}`", printable(text_.substr(begin_, character.length))));
  }

  void take(Token id, std::size_t length) {
    at_ += static_cast<std::uint32_t>(length);
    if (id == Token::dot && is_digit(peek()) && !follows_operand()) {
      while (is_digit(peek())) ++at_;
      fail_here("a number must not start with a dot", fmt::format("0{}", text_.substr(begin_, at_ - begin_)));
    }
    push(id);
  }

  bool follows_operand() const {
    if (spaced_ || out_.tokens.empty()) return false;
    const auto id = out_.tokens.back().id;
    return id == Token::name || id == Token::close_paren || id == Token::close_bracket;
  }

  SourcePtr source_;
  std::string_view text_;
  std::uint32_t at_ = 0;
  std::uint32_t begin_ = 0;
  bool line_start_ = true;
  bool spaced_ = false;
  std::string prose_;
  Lexed out_;
};

}  // namespace

Lexed lex(const SourcePtr& source, Span range) { return Lexer(source, range).run(); }

std::string dump(const Lexed& lexed) {
  std::string out;
  for (const auto& t : lexed.tokens) {
    if (t.line_start) out += "| ";
    switch (t.id) {
      case Token::number: out += fmt::format("{}{}", shortest(t.number), t.imaginary ? "i" : ""); break;
      case Token::name: out += fmt::format("{}", t.name); break;
      case Token::text:
        out += '"';
        for (const auto& p : t.pieces)
          out +=
              p.is_hole ? fmt::format("{{{}..{}:{}}}", p.hole.begin, p.hole.end, p.specification) : p.literal;
        out += '"';
        break;
      case Token::end: out += "end"; break;
      default: out += row_of(t.id).spelling;
    }
    out += ' ';
  }
  if (!out.empty()) out.pop_back();
  return out;
}

}  // namespace quill
