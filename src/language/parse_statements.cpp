#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/text.h"
#include "language/parser_state.h"

namespace quill {

namespace {

constexpr std::size_t kMostErrors = 10;
constexpr int kMostHeight = 600;

}  // namespace

Parser::Parser(const SourcePtr& source, Span range) : source_(source) {
  auto lexed = lex(source, range);
  tokens_ = std::move(lexed.tokens);
  errors_ = std::move(lexed.errors);
  malformed_ = !errors_.empty();
  for (const auto& error : errors_)
    if (error.message == "unclosed text" && source->text(error.location.span).starts_with("\"\"\"")) {
      unfinished_ = true;
      malformed_ = false;
    }
}

Tree Parser::run() {
  Tree tree;
  tree.source = source_;
  const auto lexed = errors_.size();
  tree.root = statements(Token::end);
  // Errors in lines with malformed tokens are meaningless.
  std::set<int> malformed;
  const auto line_of = [&](const Error& e) { return source_->position(e.location.span.begin).line; };
  for (std::size_t k = 0; k < lexed; ++k) malformed.insert(line_of(errors_[k]));
  const auto first = errors_.begin() + static_cast<std::ptrdiff_t>(lexed);
  errors_.erase(std::remove_if(first, errors_.end(),
                               [&](const Error& e) {
                                 return malformed.contains(line_of(e)) ||
                                        (lexed > 0 && e.message.starts_with("expected"));
                               }),
                errors_.end());
  std::stable_sort(errors_.begin(), errors_.end(), [](const Error& a, const Error& b) {
    return a.location.span.begin < b.location.span.begin;
  });
  if (errors_.size() > kMostErrors) errors_.erase(errors_.begin() + kMostErrors, errors_.end());
  tree.errors = std::move(errors_);
  tree.warnings = std::move(warnings_);
  return tree;
}

NodePtr Parser::run_expression() {
  if (!errors_.empty()) throw Error(std::move(errors_.front()));
  ++open_;
  auto node = expression();
  explain_slip();
  if (!is(Token::end))
    fail_span(tok().span, fmt::format("{} is not allowed in the braces of a text", in_words(tok().id)));
  return node;
}

bool Parser::accept(Token id) {
  if (!is(id)) return false;
  take();
  return true;
}

Lexeme Parser::expect(Token id, const std::string& where, std::string hint) {
  if (!is(id)) fail_token(fmt::format("{} {}", in_words(id), where), std::move(hint));
  return take();
}

NodePtr Parser::finish(NodePtr node, std::uint32_t begin) {
  node->span = {begin, std::max(begin, last_end())};
  for (const auto& kid : node->kids)
    if (kid) node->height = std::max(node->height, kid->height + 1);
  if (node->height > kMostHeight)
    fail_span({begin, begin + 1}, "this expression has too many parts", "assign parts of it to names");
  return node;
}

// member(3, v) for 3 in v
std::string Parser::membership_hint(const std::string& element) const {
  const bool is_name = ahead(1).id == Token::name;
  return fmt::format("to test membership, write  member({}, {})", is_name ? element : "x",
                     is_name ? text_of_token(ahead(1)) : "v");
}

void Parser::fail_token(const std::string& wanted, std::string hint) {
  if (is(Token::kw_in) && at_ > 0)
    fail_span(tok().span, "`in` is only allowed in loops", membership_hint(text_of_token(tokens_[at_ - 1])));
  if (is(Token::end)) unfinished_ = true;
  const auto found = is(Token::end)    ? std::string("the text ends")
                     : is(Token::name) ? fmt::format("`{}` stands here", tok().name)
                                       : fmt::format("{} stands here", in_words(tok().id));
  Span span = tok().span;
  if (span.empty() && at_ > 0) span = tokens_[at_ - 1].span;
  fail_span(span, fmt::format("expected {}, but {}", wanted, found), std::move(hint));
}

void Parser::fail_span(Span span, std::string message, std::string hint) {
  // Later errors in the same brackets have the same cause.
  if (!brackets_.empty())
    if (const auto close = closer(brackets_.front()); close < tokens_.size()) resume_ = close + 1;
  fail_at(source_, span, std::move(message), std::move(hint));
}

void Parser::warn(Span span, std::string message, std::string hint) {
  Error warning(std::move(message), std::move(hint));
  warning.location = {source_, span};
  warnings_.push_back(std::move(warning));
}

// statements → { statement }
NodePtr Parser::statements(Token closer) {
  auto list = std::make_unique<Node>();
  list->kind = NodeKind::block;
  const auto begin = tok().span.begin;
  while (!is(Token::end) && !is(closer)) {
    if (accept(Token::semicolon)) continue;
    const int open = open_, index_depth = index_depth_, functions = functions_, loops = loops_,
              blocks = blocks_;
    const auto start = at_;
    statement_begin_ = at_;
    try {
      list->kids.push_back(statement());
      end_of_statement();
    } catch (Error& error) {
      open_ = open, index_depth_ = index_depth, functions_ = functions, loops_ = loops, blocks_ = blocks;
      subscript_position_ = false;
      nesting_ = 0;
      in_condition_ = false;
      errors_.push_back(std::move(error));
      if (errors_.size() >= kMostErrors || is_given_up_) {
        at_ = tokens_.size() - 1;
        break;
      }
      if (at_ == start) take();
      while (at_ < resume_ && !is(Token::end)) take();
      recover();
    }
  }
  return finish(std::move(list), begin);
}

// Continues at the next line that is not inside braces.
void Parser::recover() {
  int depth = 0;
  while (!is(Token::end)) {
    if (tok().line_start && depth <= 0) return;
    if (is(Token::open_brace)) ++depth;
    if (is(Token::close_brace)) {
      if (depth == 0 && blocks_ > 0) return;
      --depth;
    }
    take();
  }
}

void Parser::end_of_statement() {
  if (is(Token::end) || is(Token::semicolon) || tok().line_start) return;
  if (is(Token::close_brace) && blocks_ > 0) return;
  explain_slip();
  if (is(Token::assign))
    fail_span(tok().span, "`=` assigns to a name or an element, and the left side is neither",
              "to compare, write ==");
  if (is(Token::close_paren) || is(Token::close_bracket) || is(Token::close_brace))
    fail_span(tok().span, fmt::format("unmatched {}", in_words(tok().id)));
  if (is(Token::colon) && ahead(1).id == Token::assign)
    fail_span({tok().span.begin, ahead(1).span.end}, "`:=` is not an operator", "write an assignment with =");
  if (is(Token::colon)) fail_colon();
  if (is(Token::comma))
    fail_span(tok().span, "write several values in brackets or parentheses",
              fmt::format("[{}, {}]", text_between(begin_of_value(), at_), rest_of_line(at_ + 1)));
  const auto before = at_ > 0 ? text_of_token(tokens_[at_ - 1]) : std::string();
  if (is(Token::kw_in)) fail_span(tok().span, "`in` is only allowed in loops", membership_hint(before));
  fail_span(tok().span,
            fmt::format("expected the end of the statement, but {} stands here",
                        is(Token::name) ? fmt::format("`{}`", tok().name) : in_words(tok().id)),
            is(Token::open_brace) ? "" : "separate statements on one line with ;, or add a missing operator");
}

// block → "{" { statement } "}"
NodePtr Parser::block(const char* after, std::uint32_t header) {
  if (!is(Token::open_brace)) fail_header(after, header);
  const auto begin = take().span.begin;
  const Restored<bool> condition(in_condition_, false);
  std::vector<std::size_t> brackets;
  brackets_.swap(brackets);
  const auto statement = statement_begin_;
  const int open = open_, index_depth = index_depth_, nesting = nesting_;
  const bool place = subscript_position_;
  subscript_position_ = false;
  open_ = 0;
  index_depth_ = 0;
  ++blocks_;
  constexpr int most = 60;
  if (blocks_ > most) {
    // The rest cannot be parsed.
    is_given_up_ = true;
    fail_span({begin, begin + 1}, "blocks are nested too deeply", "make the inner ones a function");
  }
  auto list = statements(Token::close_brace);
  --blocks_;
  brackets_.swap(brackets);
  statement_begin_ = statement;
  open_ = open;
  index_depth_ = index_depth;
  nesting_ = nesting;
  subscript_position_ = place;
  if (is_given_up_) return list;
  if (!is(Token::close_brace)) {
    unfinished_ = true;
    fail_span({begin, begin + 1}, "unclosed block", "end it with }");
  }
  take();
  list->span = {begin, last_end()};
  return list;
}

// statement → worded | if | for | while | break | continue | return | fn | simple
NodePtr Parser::statement() {
  const auto begin = tok().span.begin;
  switch (tok().id) {
    case Token::kw_if: return if_statement();
    case Token::kw_for: return for_statement();
    case Token::kw_while: return while_statement();
    case Token::kw_break:
    case Token::kw_continue: {
      const auto token = take();
      if (loops_ == 0) fail_span(token.span, fmt::format("{} is only allowed in a loop", in_words(token.id)));
      return make(token.id == Token::kw_break ? NodeKind::break_statement : NodeKind::continue_statement,
                  begin);
    }
    case Token::kw_return: return return_statement();
    case Token::kw_fn:
      if (ahead(1).id == Token::name) return define_statement();
      return simple_statement();
    case Token::kw_else: fail_span(tok().span, "`else` must be on the line of the closing brace", "} else {");
    case Token::open_brace:
      fail_span(tok().span, "a statement cannot start with a brace",
                "assign a dictionary to a name: d = {\"a\": 1}");
    case Token::name: return worded_statement();
    default:
      if (row_of(tok().id).left > 0 && !is(Token::minus)) {
        const bool continues = tok().line_start && at_ > 0;
        fail_span(tok().span, fmt::format("a statement cannot start with {}", in_words(tok().id)),
                  continues ? "to continue the line above, put the operator at its end" : "");
      }
      return simple_statement();
  }
}

namespace {

// Form of the statements that begin with a word; "" for other words, and for those that may be followed by a
// call bracket.
std::string_view form_of_worded(std::string_view word) {
  if (word == "section") return "section \"Title\"";
  if (word == "given") return "given rate = 0.3 \"decay rate (1/day)\"";
  if (word == "use") return "use \"tides.eq\" as tides";
  if (word == "timed") return "timed \"label\" (repeat: 9) { … }";
  return {};
}

}  // namespace

// Words that are keywords only at the start of a statement. Before an assignment, operator or bracket such a
// word is a name; before a minus sign, if that is separated from what follows.
NodePtr Parser::worded_statement() {
  const auto& word = tok().name;
  const auto& next = ahead(1);
  const bool same_line = !next.line_start;
  if (same_line && !is_assignment(next.id) && !is_operand_of(next)) {
    if (word == "section" && next.id == Token::text) return section_statement();
    if (word == "given" && next.id == Token::name) return given_statement();
    if (word == "use" && next.id == Token::text) return use_statement();
    if (word == "timed" && (next.id == Token::text || next.id == Token::open_brace)) return timed_statement();
    if (word == "expect") return expect_statement();
    if (next.id == Token::open_paren) {
      if (word == "figure") return drawing_statement(NodeKind::figure);
      if (word == "panel") return drawing_statement(NodeKind::panel);
      if (word == "extend") return drawing_statement(NodeKind::extend);
    } else if (const auto form = form_of_worded(word); !form.empty()) {
      fail_span(tok().span, fmt::format("`{}` starts a statement that must continue in another way", word),
                std::string(form));
    }
  }
  return simple_statement();
}

// Whether the token after a word at the start of a statement makes it a name: v + 1, v.part, v, w = …
bool Parser::is_operand_of(const Lexeme& next) const {
  switch (next.id) {
    case Token::end:
    case Token::dot:
    case Token::comma:
    case Token::semicolon:
    case Token::close_brace:
    case Token::transpose: return true;
    case Token::open_bracket: return !next.spaced;
    case Token::minus: return !next.spaced || ahead(2).spaced || ahead(2).line_start;
    default: return row_of(next.id).left > 0;
  }
}

// simple → place { "," place } ("=" | "+=" …) expression | expression
NodePtr Parser::simple_statement() {
  const auto begin = tok().span.begin;
  std::vector<NodePtr> left;
  left.push_back(expression());
  while (is(Token::comma) && !line_ended()) {
    take();
    left.push_back(expression());
  }
  if (!is_assignment(tok().id) || line_ended()) {
    if (left.size() > 1)
      fail_span({begin, last_end()}, "these values are not used", "write a tuple in parentheses: (a, b)");
    const auto kind = left[0]->kind;
    if (functions_ > 0 && kind != NodeKind::call && kind != NodeKind::each && !is_assignment(tok().id) &&
        (is(Token::close_brace) || tok().line_start || is(Token::semicolon)))
      fail_span(left[0]->span, "inside a function only calls can be statements: this value is not used",
                fmt::format("return {}", source_->text(left[0]->span)));
    return make(NodeKind::expression, begin, std::move(left[0]));
  }
  const auto op = take().id;
  if (op != Token::assign && left.size() > 1)
    fail_span({begin, last_end()}, fmt::format("{} takes one name or element on its left", in_words(op)));
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::assign;
  node->op = op;
  for (auto& expression : left) node->kids.push_back(target_of(std::move(expression)));
  auto value = expression();
  if (is(Token::comma) && !line_ended() && left.size() > 1) {
    auto tuple = std::make_unique<Node>();
    tuple->kind = NodeKind::tuple;
    const auto value_begin = value->span.begin;
    tuple->kids.push_back(std::move(value));
    while (accept(Token::comma)) tuple->kids.push_back(expression());
    value = finish(std::move(tuple), value_begin);
  }
  if (is(Token::assign) && !line_ended()) explain_assign();
  if (is(Token::assign) && !line_ended())
    fail_span(tok().span, "one assignment per statement", "a = 1; b = 1");
  node->kids.push_back(std::move(value));
  return finish(std::move(node), begin);
}

// A target: a name, a name with index brackets, or `_`; parts and calls are reported by the resolver.
NodePtr Parser::target_of(NodePtr expression) {
  const auto span = expression->span;
  if (expression->kind == NodeKind::name) {
    if (expression->text == "_") expression->kind = NodeKind::discard;
    return expression;
  }
  const Node* base = expression.get();
  while (base->kind == NodeKind::index) base = base->kids[0].get();
  if (expression->kind == NodeKind::index && base->kind == NodeKind::name) return expression;
  // Reported by the resolver, which knows the names.
  if (base->kind == NodeKind::part || expression->kind == NodeKind::call) return expression;
  if (expression->kind == NodeKind::number || expression->kind == NodeKind::text ||
      expression->kind == NodeKind::boolean)
    fail_span(span, "a value cannot be assigned to");
  fail_span(span, "the left side of an assignment must be a name, or a name followed by index brackets");
}

// Condition of `if`, `while` and `expect`; `has_block`: a block follows.
NodePtr Parser::condition(bool has_block) {
  const Restored<bool> place(in_condition_, has_block);
  auto condition = expression();
  if (is(Token::assign)) {
    explain_assign();
    fail_span(tok().span, "`=` assigns and is not allowed in a condition", "to compare, write ==");
  }
  return condition;
}

// if → "if" expression block { "else" "if" expression block } [ "else" block ]
NodePtr Parser::if_statement() {
  const auto begin = take().span.begin;
  auto condition = this->condition(true);
  if (is(Token::kw_then)) {
    take();
    auto yes = expression();
    expect(Token::kw_else, "in a choice that gives a value", "as a statement, write if c { … }");
    auto no = expression();
    auto value = make(NodeKind::conditional, begin, std::move(condition), std::move(yes), std::move(no));
    return make(NodeKind::expression, begin, std::move(value));
  }
  auto yes = block("the condition", begin);
  NodePtr no;
  if (is(Token::kw_else) && !tok().line_start) {
    const auto otherwise = take().span.begin;
    no = is(Token::kw_if) && !tok().line_start ? if_statement() : block("`else`", otherwise);
  }
  return make(NodeKind::branch, begin, std::move(condition), std::move(yes), std::move(no));
}

// for → "for" NAME { "," NAME } "in" expression block
NodePtr Parser::for_statement() {
  const auto begin = take().span.begin;
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::loop_for;
  while (true) {
    const auto name = expect(Token::name, "after `for`", "for k in 1..n { … }");
    auto target = make(name.name == "_" ? NodeKind::discard : NodeKind::name, name.span.begin);
    target->text = name.name;
    node->kids.push_back(std::move(target));
    if (!accept(Token::comma)) break;
  }
  if (is(Token::assign)) fail_span(tok().span, "write a loop with `in`", "for k in 1..n { … }");
  expect(Token::kw_in, "in a loop", "for k in 1..n { … }");
  node->kids.push_back(expression());
  const auto& behind = ahead(2);
  if (is(Token::colon) && !ahead(1).line_start &&
      (behind.id == Token::open_brace || behind.line_start || behind.id == Token::end))
    fail_colon();
  ++loops_;
  node->kids.push_back(block("what the loop runs over", begin));
  --loops_;
  return finish(std::move(node), begin);
}

// while → "while" expression block
NodePtr Parser::while_statement() {
  const auto begin = take().span.begin;
  auto condition = this->condition(true);
  ++loops_;
  auto body = block("the condition", begin);
  --loops_;
  return make(NodeKind::loop_while, begin, std::move(condition), std::move(body));
}

// return → "return" [ expression { "," expression } ]
NodePtr Parser::return_statement() {
  const auto token = take();
  if (functions_ == 0) fail_span(token.span, "`return` is only allowed in a function");
  NodePtr value;
  if (!tok().line_start && !is(Token::close_brace) && !is(Token::semicolon) && !is(Token::end)) {
    const auto begin = tok().span.begin;
    value = expression();
    if (is(Token::comma) && !line_ended()) {
      auto tuple = std::make_unique<Node>();
      tuple->kind = NodeKind::tuple;
      tuple->kids.push_back(std::move(value));
      while (accept(Token::comma)) tuple->kids.push_back(expression());
      value = finish(std::move(tuple), begin);
    }
  }
  return make(NodeKind::return_statement, token.span.begin, std::move(value));
}

}  // namespace quill
