// Diagnoses of likely mistakes after a syntax error: unclosed brackets, missing operators, and notation of
// other languages.
#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/text.h"
#include "language/parser_state.h"

namespace quill {

namespace {

bool opens(Token id) {
  return id == Token::open_paren || id == Token::open_bracket || id == Token::open_brace;
}
bool closes(Token id) {
  return id == Token::close_paren || id == Token::close_bracket || id == Token::close_brace;
}
Token closer_of(Token opener) { return static_cast<Token>(static_cast<int>(opener) + 1); }

// Keywords that begin statements.
bool is_keyword(Token id) {
  return id >= Token::kw_fn && id <= Token::kw_return && id != Token::kw_then && id != Token::kw_else &&
         id != Token::kw_in;
}

// Whether an operand may end with such a token, or begin with it.
bool ends_operand(Token id) {
  return id == Token::number || id == Token::text || id == Token::name || id == Token::transpose ||
         closes(id) || (id >= Token::kw_true && id <= Token::kw_last);
}
bool begins_operand(Token id) {
  return id == Token::number || id == Token::text || id == Token::name || opens(id) ||
         (id >= Token::kw_not && id <= Token::kw_last);
}

constexpr std::string_view kWordCharacters = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ_";

bool is_word_of(std::string_view word, std::initializer_list<std::string_view> words) {
  return std::find(words.begin(), words.end(), word) != words.end();
}

std::string_view trim_quotes(std::string_view text) {
  return text.size() > 1 && text.front() == '"' ? text.substr(1, text.size() - 2) : text;
}

}  // namespace

// Whether this token starts a line that can only be a statement: k = …, v[k] = …, for …
bool Parser::begins_statement(std::size_t at) const {
  const auto& token = tokens_[at];
  if (!token.line_start) return false;
  if (token.id == Token::kw_return || token.id == Token::kw_break || token.id == Token::kw_continue)
    return true;
  const bool has_block = token.id == Token::kw_if || token.id == Token::kw_for || token.id == Token::kw_while;
  if ((token.id != Token::name && token.id != Token::kw_fn && !has_block) || at + 1 >= tokens_.size())
    return false;
  const auto& next = tokens_[at + 1];
  if (next.line_start) return false;
  if (token.id == Token::kw_fn) return next.id == Token::name;
  // A line that closes an earlier bracket or ends with a comma continues an expression.
  int depth = 0;
  bool is_assigned = false, is_choice = false;
  auto last = Token::name;
  for (auto k = at + 1; k < tokens_.size() && !tokens_[k].line_start && tokens_[k].id != Token::end; ++k) {
    last = tokens_[k].id;
    depth += opens(last) ? 1 : closes(last) ? -1 : 0;
    if (depth < 0) return false;
    is_assigned = is_assigned || (depth == 0 && is_assignment(last));
    is_choice = is_choice || last == Token::kw_then;
  }
  if (has_block) return !is_choice && (last == Token::open_brace || last == Token::close_brace);
  return last != Token::comma && (is_assigned || next.id == Token::text);  // section "…"
}

// Index of the token that closes the bracket opened at `opener`, or the number of tokens if there is none
// before the next statement.
std::size_t Parser::closer(std::size_t opener) const {
  std::vector<Token> open = {closer_of(tokens_[opener].id)};
  std::size_t blocks = 0;  // open ones inside of the brackets
  for (auto k = opener + 1; k < tokens_.size(); ++k) {
    const auto id = tokens_[k].id;
    if (opens(id)) {
      open.push_back(closer_of(id));
      blocks += open.back() == Token::close_brace ? 1 : 0;
    } else if (closes(id)) {
      if (id != open.back()) break;
      open.pop_back();
      if (open.empty()) return k;
      blocks -= id == Token::close_brace ? 1 : 0;
    }
    if (blocks == 0 && begins_statement(k)) break;
  }
  return tokens_.size();
}

// Text from a token to the end of its line or to the first unmatched closing bracket.
std::string Parser::rest_of_line(std::size_t from) const {
  int depth = 0;
  auto end = tokens_[from].span.begin;
  for (auto k = from; k < tokens_.size() && tokens_[k].id != Token::end; ++k) {
    if (k > from && tokens_[k].line_start) break;
    depth += opens(tokens_[k].id) ? 1 : closes(tokens_[k].id) ? -1 : 0;
    if (depth < 0) break;
    end = tokens_[k].span.end;
  }
  return std::string(source_->text({tokens_[from].span.begin, end}));
}

// Text from a token to the next comma, unmatched closing bracket or line end.
std::string Parser::rest_of_argument(std::size_t from) const {
  int depth = 0;
  auto end = from;
  for (; end + 1 < tokens_.size() && !(end > from && tokens_[end].line_start); ++end) {
    const auto id = tokens_[end].id;
    depth += opens(id) ? 1 : closes(id) ? -1 : 0;
    if (depth < 0 || (depth == 0 && id == Token::comma)) break;
  }
  return text_between(from, end);
}

std::string Parser::text_between(std::size_t from, std::size_t to) const {
  return from >= to ? std::string()
                    : std::string(source_->text({tokens_[from].span.begin, tokens_[to - 1].span.end}));
}

// First token of the expression before the current token: after an assignment, a comma or an open bracket.
std::size_t Parser::begin_of_value() const {
  int depth = 0;
  for (auto k = at_; k > statement_begin_; --k) {
    const auto id = tokens_[k - 1].id;
    depth += closes(id) ? 1 : opens(id) ? -1 : 0;
    if (depth < 0 || (depth == 0 && (is_assignment(id) || id == Token::comma || id == Token::kw_return)))
      return k;
  }
  return statement_begin_;
}

// Reports an unexpected token inside brackets: an unclosed bracket, a known mistake, or the tokens expected
// here.
void Parser::fail_in_brackets(const std::string& wanted) {
  const auto opener = brackets_.back();
  const auto close = closer(opener);
  const bool is_closed = close < tokens_.size();
  if (!tok().line_start && !closes(tok().id)) explain_slip();
  if (!is_closed && (is(Token::end) || tok().line_start || closes(tok().id) || is(Token::open_brace))) {
    if (is(Token::end)) unfinished_ = true;
    const auto& token = tokens_[opener];
    fail_span(token.span,
              fmt::format("{} in line {} is not closed", in_words(token.id),
                          source_->position(token.span.begin).line),
              fmt::format("add {}", row_of(closer_of(token.id)).spelling));
  }
  if (is_closed && tok().line_start && begins_operand(tok().id) && tokens_[opener].id == Token::open_bracket)
    fail_between_lines(opener, close);
  fail_token(wanted);
}

// Reports lines of a bracket that have no separator between them.
void Parser::fail_between_lines(std::size_t opener, std::size_t close) {
  // Lines with equal numbers of items are taken as matrix rows, even if some end with a comma.
  std::vector<std::string> lines;
  std::set<std::ptrdiff_t> items;
  bool are_rows = false;
  for (auto k = opener + 1; k < close;) {
    auto end = k + 1;
    while (end < close && !tokens_[end].line_start) ++end;
    auto line = text_between(k, end);
    if (line.ends_with(',') || line.ends_with('|')) line.pop_back();
    for (std::size_t at = 0; at <= line.size();) {
      const auto bar = std::min(line.find('|', at), line.size());
      lines.emplace_back(trim(std::string_view(line).substr(at, bar - at)));
      items.insert(std::count(lines.back().begin(), lines.back().end(), ','));
      are_rows = are_rows || *items.rbegin() > 0;
      at = bar + 1;
    }
    k = end;
  }
  are_rows = are_rows && items.size() == 1;
  const auto joined = fmt::format("{}", fmt::join(lines, are_rows ? " | " : ", "));
  fail_span(tok().span,
            are_rows ? "matrix rows are separated by |, not by line breaks"
                     : "items are separated by commas, not by line breaks",
            "[" + joined + "]");
}

// Throws if the current token, after an operand on the same line, is a known mistake.
void Parser::explain_slip() {
  if (at_ == 0 || is(Token::end)) return;
  const auto& before = tokens_[at_ - 1];
  if (is(Token::assign)) explain_assign();
  if (!ends_operand(before.id) || tok().line_start) return;
  if (is(Token::kw_if)) explain_choice_behind();
  if (is(Token::comma) && before.id == Token::number && ahead(1).id == Token::number && !tok().spaced &&
      !ahead(1).spaced)
    fail_span({before.span.begin, ahead(1).span.end}, "the decimal separator is a point",
              fmt::format("{}.{}", text_of_token(before), text_of_token(ahead(1))));
  if (begins_operand(tok().id) || (open_ == 0 && is_keyword(tok().id))) explain_side_by_side(before);
}

void Parser::explain_side_by_side(const Lexeme& before) {
  explain_foreign_word(before);
  const auto left = text_of_token(before), right = text_of_token(tok());
  const auto both = Span{before.span.begin, tok().span.end};
  const bool is_call = is(Token::name) && ahead(1).id == Token::open_paren && !ahead(1).spaced;
  const bool is_told = is_call && (tok().name == "print" || tok().name == "show");
  const bool is_assigned = is(Token::name) && is_assignment(ahead(1).id);
  if (open_ == 0 &&
      (is_assigned || (is_call && (before.id != Token::number || is_told)) || is_keyword(tok().id)))
    fail_span(tok().span, "two statements on one line are separated by ;",
              fmt::format("{}; {}", text_between(statement_begin_, at_), rest_of_line(at_)));
  if (before.id == Token::name && (is(Token::number) || is(Token::text)))
    fail_span(both, "a call has parentheses", fmt::format("{}({})", left, right));
  if (before.id == Token::name && is(Token::name))
    fail_span(both, "missing operator or parentheses between two names",
              fmt::format("{0}({1}) calls a function, {0} * {1} multiplies", left, right));
  if (before.id == Token::number && is(Token::number))
    fail_span(both, "missing operator or comma between two numbers",
              fmt::format("[{0}, {1}] is a vector, {0} * {1} multiplies", left, right));
  if (before.id == Token::number && is(Token::name))
    fail_span(both, "missing operator",
              fmt::format("{} * {}", left, is_call ? text_between(at_, operand_end(at_)) : right));
}

// Index of the token after the operand at `begin`: a literal, or a name with its call and index brackets.
std::size_t Parser::operand_end(std::size_t begin) const {
  auto end = begin;
  if (!opens(tokens_[end].id)) ++end;
  while (end < tokens_.size() && opens(tokens_[end].id) && tokens_[end].id != Token::open_brace &&
         (end == begin || !tokens_[end].spaced)) {
    const auto close = closer(end);
    if (close >= tokens_.size()) break;
    end = close + 1;
  }
  return end;
}

// Index of the first token of the operand before the current token.
std::size_t Parser::operand_begin() const {
  auto begin = at_ - 1;
  int depth = 0;
  for (;; --begin) {
    depth += closes(tokens_[begin].id) ? 1 : opens(tokens_[begin].id) ? -1 : 0;
    const bool is_callee = depth == 0 && opens(tokens_[begin].id) && begin > 0 && !tokens_[begin].spaced &&
                           tokens_[begin - 1].id == Token::name;
    if (begin == statement_begin_ || (depth <= 0 && !is_callee)) return begin;
  }
}

// Keywords and operators of other languages.
void Parser::explain_foreign_word(const Lexeme& before) {
  const auto left = text_of_token(before);
  const auto span = Span{before.span.begin, tok().span.end};
  struct Word {
    std::string_view word, form;
  };
  constexpr Word operators[] = {{"mod", "{} % {}"},   {"div", "floor({} / {})"}, {"is", "{} == {}"},
                                {"xor", "{} != {}"},  {"equals", "{} == {}"},    {"to", "{}..{}"},
                                {"times", "{} * {}"}, {"over", "{} / {}"},       {"plus", "{} + {}"}};
  if (is(Token::name) && begins_operand(ahead(1).id) && !ahead(1).line_start)
    for (const auto& [word, form] : operators)
      if (tok().name == word)
        fail_span(tok().span, fmt::format("`{}` is not an operator", word),
                  fmt::format(fmt::runtime(form), text_between(operand_begin(), at_),
                              text_between(at_ + 1, operand_end(at_ + 1))));
  if (before.id != Token::name) return;
  if (is_word_of(left, {"import", "include", "require", "from"}) && (is(Token::text) || is(Token::name))) {
    const auto file = std::string(trim_quotes(text_of_token(tok())));
    const auto stem = file.substr(0, file.find('.'));
    const bool is_plain = !stem.empty() && stem.find_first_not_of(kWordCharacters) == stem.npos;
    fail_span(
        span, "other scripts are loaded with `use`",
        fmt::format("use \"{}\" as {}", is(Token::name) ? file + ".eq" : file, is_plain ? stem : "tides"));
  }
  if (is_word_of(left, {"def", "function", "func", "sub"}) && is(Token::name))
    fail_span(before.span, "functions are defined with `fn`", fmt::format("fn {}", rest_of_line(at_)));
  if (left == "lambda" && is(Token::name) && ahead(1).id == Token::colon)
    fail_span(before.span, "functions are defined with `fn`",
              fmt::format("fn({}) = {}", tok().name, rest_of_argument(at_ + 2)));
  if (is_word_of(left, {"let", "var", "const"}) && is(Token::name) && is_assignment(ahead(1).id))
    fail_span(before.span, "assignments start with the name, without a keyword", rest_of_line(at_));
}

// Whether the token between two items of a bracket is a word that explain_slip() reports better.
bool Parser::is_keyword_slip() const {
  if (is(Token::kw_if)) return true;
  return is(Token::name) && is_word_of(tok().name, {"mod", "div", "to", "is", "xor"});
}

// (a = 1, b = 2)
void Parser::fail_assigned_in_parentheses(std::uint32_t begin) {
  explain_assign();
  const auto opener = brackets_.back(), close = closer(opener);
  std::string record;
  int depth = 0;
  bool is_record = tokens_[at_ - 1].id == Token::name && close < tokens_.size();
  for (auto k = opener; is_record && k <= close; ++k) {
    const auto id = tokens_[k].id;
    depth += opens(id) ? 1 : closes(id) ? -1 : 0;
    const bool is_field = depth == 1 && id == Token::assign;
    if (!is_field && k > opener) record += source_->text({tokens_[k - 1].span.end, tokens_[k].span.begin});
    record += is_field ? ":" : text_of_token(tokens_[k]);
  }
  if (is_record && !in_condition_)
    fail_span({begin, tokens_[close].span.end}, "fields of a record are written with a colon", record);
  fail_span(tok().span, "`=` assigns and stands only in statements", "to compare, write ==");
}

// A conditional expression that starts with its value: 1 if c else 2.
void Parser::explain_choice_behind() {
  int depth = 0;
  auto otherwise = at_, end = at_ + 1;
  for (; end < tokens_.size() && tokens_[end].id != Token::end && !tokens_[end].line_start; ++end) {
    const auto id = tokens_[end].id;
    depth += opens(id) ? 1 : closes(id) ? -1 : 0;
    if (depth < 0 || (depth == 0 && (id == Token::comma || id == Token::kw_for || id == Token::semicolon)))
      break;
    if (depth == 0 && id == Token::kw_else) otherwise = end;
  }
  const auto value = text_between(begin_of_value(), at_);
  if (open_ == 0 && tokens_[end - 1].id == Token::close_brace) return;  // an `if` with its block
  if (otherwise > at_)
    fail_span(tok().span, "a conditional expression starts with its condition",
              fmt::format("if {} then {} else {}", text_between(at_ + 1, otherwise), value,
                          text_between(otherwise + 1, end)));
  if (open_ == 0)
    fail_span(tok().span, "the condition comes before the statement",
              fmt::format("if {} {{ {} }}", text_between(at_ + 1, end), text_between(statement_begin_, at_)));
}

// An `=` that is not an assignment: => and =<.
void Parser::explain_assign() {
  const auto& next = ahead(1);
  const bool is_joined = (next.id == Token::greater || next.id == Token::less) && !next.spaced;
  if (!is_joined) return;
  const auto written = next.id == Token::greater ? ">=" : "<=";
  const auto before = at_ > 1 ? tokens_[at_ - 2].id : Token::end;
  const bool is_value = before == Token::open_paren || before == Token::comma || before == Token::assign;
  const auto left = at_ > 0 ? text_of_token(tokens_[at_ - 1]) : "a";
  if (is_value && next.id == Token::greater)
    fail_span({tok().span.begin, next.span.end}, "`=>` is not an operator",
              fmt::format("{0} >= {2} compares, fn({0}) = {1} is a function", left, rest_of_argument(at_ + 2),
                          text_of_token(ahead(2))));
  fail_span({tok().span.begin, next.span.end},
            fmt::format("`={}` is not an operator", row_of(next.id).spelling),
            fmt::format("{} {} {}", left, written, text_of_token(ahead(2))));
}

// Reports a missing block; the hint is the header with a block.
void Parser::fail_header(const char* after, std::uint32_t begin) {
  const auto header = std::string(trim(source_->text({begin, last_end()})));
  std::string hint = header + " {";
  if (is(Token::colon)) {
    const bool goes_on = !ahead(1).line_start && ahead(1).id != Token::end;
    hint = goes_on ? fmt::format("{} {{ {} }}", header, rest_of_line(at_ + 1)) : header + " { … }";
    fail_span(tok().span, "blocks are written in braces, without `:`", hint);
  }
  explain_assign();
  if (!tok().line_start && begins_operand(tok().id)) {
    if (at_ > 0) explain_foreign_word(tokens_[at_ - 1]);
    hint = fmt::format("{} {{ {} }}", header, rest_of_line(at_));
  }
  fail_token(fmt::format("`{{` after {}", after), hint);
}

// Whether the brace opens the block of an incomplete condition rather than a dictionary.
bool Parser::is_block_of_header() const {
  if (!in_condition_ || open_ != 0) return false;
  const auto close = closer(at_);
  if (close >= tokens_.size()) return true;
  const auto& next = tokens_[std::min(close + 1, tokens_.size() - 1)];
  return next.line_start || next.id == Token::end || next.id == Token::kw_else ||
         next.id == Token::semicolon || next.id == Token::close_brace;
}

}  // namespace quill
