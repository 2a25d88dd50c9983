// Brackets and functions.
#include <fmt/format.h>

#include "base/text.h"
#include "language/parser_state.h"

namespace quill {

// parenthesised → "(" expression ")" | "(" expression "," … ")" | "(" NAME ":" expression "," … ")"
NodePtr Parser::parenthesised() {
  const auto begin = tok().span.begin;
  Restored<bool> place(subscript_position_, false);
  if (ahead(1).id == Token::close_paren) fail_span({begin, ahead(1).span.end}, "empty parentheses");
  if (ahead(1).id == Token::name && ahead(2).id == Token::colon) {
    auto node = std::make_unique<Node>();
    node->kind = NodeKind::record;
    arguments(*node);
    for (const auto& kid : node->kids)
      if (kid->text.empty())
        fail_span(kid->span, "every field of a record needs a name", "(depth: 3.5, name: \"buoy\")");
    return finish(std::move(node), begin);
  }
  take();
  const Inside brackets(*this);
  auto first = expression();
  if (accept(Token::close_paren)) {
    first->span = {begin, last_end()};
    return first;
  }
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::tuple;
  node->kids.push_back(std::move(first));
  while (accept(Token::comma)) {
    if (is(Token::close_paren)) break;
    node->kids.push_back(expression());
  }
  if (!is(Token::close_paren)) {
    if (is(Token::assign)) fail_assigned_in_parentheses(begin);
    fail_in_brackets("`,` or `)`");
  }
  take();
  return finish(std::move(node), begin);
}

// dictionary → "{" [ key ":" value { "," key ":" value } ] "}"
NodePtr Parser::dictionary() {
  const auto begin = take().span.begin;
  const Inside brackets(*this);
  Restored<bool> place(subscript_position_, false);
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::dictionary;
  while (!is(Token::close_brace)) {
    node->kids.push_back(expression());
    expect(Token::colon, "after a key of a dictionary", "{\"a\": 1, \"b\": 2}");
    node->kids.push_back(expression());
    if (!accept(Token::comma)) break;
  }
  if (!is(Token::close_brace)) fail_in_brackets("`,` or `}`");
  take();
  return finish(std::move(node), begin);
}

// brackets → "[" [ row { "|" row } ] "]" | "[" expression "for" generators "]"
NodePtr Parser::brackets() {
  const auto begin = take().span.begin;
  const Inside brackets(*this);
  Restored<bool> place(subscript_position_, false);
  auto matrix = std::make_unique<Node>();
  matrix->kind = NodeKind::matrix;
  if (is(Token::close_bracket)) {
    take();
    return finish(std::move(matrix), begin);
  }
  while (true) {
    const auto row_begin = tok().span.begin;
    auto row = std::make_unique<Node>();
    row->kind = NodeKind::row;
    while (true) {
      row->kids.push_back(expression());
      if (is(Token::kw_for)) {
        if (row->kids.size() > 1 || !matrix->kids.empty())
          fail_span(tok().span, "a comprehension has one item", "[k^2 for k in 1..10]");
        return comprehension(std::move(row->kids[0]), begin);
      }
      if (!accept(Token::comma)) break;
      if (is(Token::close_bracket)) break;
      if (is(Token::bar)) fail_span(tok().span, "missing item after the comma");
    }
    std::size_t literals = 0;
    for (const auto& item : row->kids)
      literals += item->kind == NodeKind::matrix && source_->text(item->span).starts_with('[');
    if (literals >= 2) {
      std::string hint = "[";
      for (const auto& item : row->kids) {
        const auto inner = source_->text(item->span);
        hint +=
            fmt::format("{}{}", hint.size() > 1 ? " | " : "",
                        inner.size() > 2 && inner.front() == '[' ? inner.substr(1, inner.size() - 2) : inner);
      }
      fail_span({row_begin, last_end()},
                "items of a row are concatenated, so nested brackets do not make a matrix", hint + "]");
    }
    matrix->kids.push_back(finish(std::move(row), row_begin));
    if (!is(Token::bar)) break;
    matrix->flag = true;
    take();
    if (is(Token::bar)) fail_span(tok().span, "`||` is not an operator", "write or");
  }
  if (!is(Token::close_bracket)) {
    if (is(Token::colon)) fail_colon();
    const bool is_item = !is(Token::end) && !row_of(tok().id).left && tok().id <= Token::kw_none;
    if (is_item && !tok().line_start && !is_keyword_slip())
      fail_span(tok().span, "missing comma between two items",
                fmt::format("{}, {}", text_of_token(tokens_[at_ - 1]), text_of_token(tok())));
    if (is(Token::semicolon)) fail_span(tok().span, "rows are separated by |", "[1, 2 | 3, 4]");
    fail_in_brackets("`,`, `|` or `]`");
  }
  take();
  return finish(std::move(matrix), begin);
}

// comprehension → "[" expression generators ["if" expression] "]"
// generators → "for" generator { ["if" expression] "for" generator }
//            | "for" NAME "down" expression "," NAME "across" expression
NodePtr Parser::comprehension(NodePtr item, std::uint32_t begin) {
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::comprehension;
  node->kids.push_back(std::move(item));
  NodePtr condition;
  while (accept(Token::kw_for)) {
    node->kids.push_back(generator("after `for`"));
    auto& made = *node->kids.back();
    if (made.op == Token::kw_in) {
      // A condition before a loop replaces its source by an empty one if it is false.
      if (auto holds = std::exchange(condition, nullptr)) {
        auto& source = made.kids[0];
        const auto begin_of_both = holds->span.begin;
        auto nothing = make(NodeKind::matrix, source->span.begin);
        source = make(NodeKind::conditional, begin_of_both, std::move(holds), std::move(source),
                      std::move(nothing));
      }
      if (accept(Token::kw_if)) condition = expression();
      if (is(Token::comma))
        fail_span(tok().span, "a comma cannot separate two loops",
                  "[f(a, b) for a in u for b in v], or as a matrix [f(a, b) for a down u, b across v]");
      continue;
    }
    if (node->kids.size() > 2)
      fail_span(made.span, "a matrix comprehension has one `down` and one `across` variable",
                "[f(a, b) for a down u, b across v]");
    if (!accept(Token::comma))
      fail_span(made.span, "`down` and `across` must be used together",
                "[f(a, b) for a down u, b across v]; with one name write in");
    node->kids.push_back(generator("after the comma"));
    if (made.flag == node->kids[2]->flag || node->kids[2]->op == Token::kw_in)
      fail_span(node->kids[2]->span, "one variable runs down, the other across",
                "[f(a, b) for a down u, b across v]");
  }
  if (is(Token::kw_if) && node->kids[1]->op != Token::kw_in)
    fail_span(tok().span, "a matrix comprehension cannot have `if`", "pick(mask, a, b) chooses elementwise");
  node->kids.push_back(std::move(condition));
  if (!is(Token::close_bracket)) fail_in_brackets("`]`");
  take();
  return finish(std::move(node), begin);
}

// generator → NAME { "," NAME } "in" expression | NAME ("down" | "across") expression
NodePtr Parser::generator(const char* where) {
  const auto name = expect(Token::name, where);
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::generator;
  node->kids.emplace_back();  // the source
  node->text = name.name;
  if (is_word("down") || is_word("across")) {
    node->op = Token::name;
    node->flag = take().name == "across";
  } else {
    if (is(Token::comma)) {
      // Several names unpack each element.
      node->text.clear();
      for (auto part = name;; part = expect(Token::name, "after the comma")) {
        auto bound = make(NodeKind::bound_name, part.span.begin);
        bound->text = part.name;
        for (const auto& other : node->kids)
          if (other && other->text == part.name && part.name != "_")
            fail_span(part.span, fmt::format("the name `{}` occurs twice", part.name), "`_` discards a part");
        node->kids.push_back(std::move(bound));
        if (!accept(Token::comma)) break;
      }
    }
    expect(Token::kw_in, "after the name", "[k^2 for k in 1..10]");
    node->op = Token::kw_in;
  }
  node->kids[0] = expression();
  return finish(std::move(node), name.span.begin);
}

// Consumes the `=` between the parameters and the body of a function that begins at `begin`.
void Parser::take_sign_of_body(std::uint32_t begin) {
  const auto header = source_->text({begin, last_end()});
  const bool is_arrow = is(Token::assign) && ahead(1).id == Token::greater && !ahead(1).spaced;
  if (is_arrow)
    fail_span({tok().span.begin, ahead(1).span.end}, "`=>` is not an operator",
              fmt::format("{} = {}", header, rest_of_line(at_ + 2)));
  const std::size_t sign = is(Token::colon) ? 1 : is(Token::minus) && ahead(1).id == Token::greater ? 2 : 0;
  const bool has_body = !tok().line_start && ahead(sign).id != Token::end && !ahead(sign).line_start;
  expect(Token::assign, "after the parameters",
         has_body ? fmt::format("{} = {}", header, rest_of_line(at_ + sign))
                  : "fn f(x) = x^2, or fn f(x) { … }");
}

// function → "(" [ NAME ["=" expression] { "," … } ] ")" ("=" expression | block)
NodePtr Parser::function_literal(std::string name, std::uint32_t begin, std::string prose) {
  if (!is(Token::open_paren))
    fail_token("`(`", name.empty() ? "fn(x) = x^2" : fmt::format("fn {}(x) = …", name));
  take();
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::function;
  node->text = std::move(name);
  node->prose = std::move(prose);
  {
    const Inside brackets(*this);
    Restored<int> depth(index_depth_, 0);
    bool defaults = false;
    while (!is(Token::close_paren)) {
      const auto parameter = expect(Token::name, "in the parameters");
      for (const auto& other : node->kids)
        if (other->text == parameter.name)
          fail_span(parameter.span, fmt::format("the parameter `{}` occurs twice", parameter.name));
      NodePtr value;
      if (accept(Token::assign)) value = expression();
      if (!value && defaults)
        fail_span(parameter.span, "a parameter without a default cannot follow one with a default");
      defaults = defaults || value;
      auto p = make(NodeKind::parameter, parameter.span.begin, std::move(value));
      p->text = parameter.name;
      node->kids.push_back(std::move(p));
      if (!accept(Token::comma)) break;
    }
    if (!is(Token::close_paren)) fail_in_brackets("`,` or `)`");
  }
  take();
  Restored<int> depth(index_depth_, 0);
  Restored<int> loops(loops_, 0);
  Restored<bool> place(subscript_position_, false);
  Deeper inside(functions_);
  if (is(Token::assign) && ahead(1).id == Token::open_brace && ahead(2).id == Token::kw_return)
    fail_span(tok().span, "a body in braces has no `=`",
              fmt::format("{} {{ return … }}", source_->text({begin, tokens_[at_ - 1].span.end})));
  if (is(Token::open_brace) && !line_ended()) {
    node->kids.push_back(block("the parameters", begin));
  } else {
    take_sign_of_body(begin);
    node->flag = true;
    node->kids.push_back(expression());
  }
  return finish(std::move(node), begin);
}

}  // namespace quill
