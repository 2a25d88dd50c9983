#include <fmt/format.h>

#include "base/rounded_integer.h"
#include "base/text.h"
#include "language/parser_state.h"

namespace quill {

namespace {

constexpr int kMostNesting = 150;

bool is_comparison(Token id) { return row_of(id).left == power::comparison; }

}  // namespace

// expression → prefix { operator expression }
NodePtr Parser::expression(int power) {
  Deeper deeper(nesting_);
  if (nesting_ > kMostNesting)
    fail_span(tok().span, "this expression is nested too deeply", "assign parts of it to names");
  return infix(prefix(), power);
}

NodePtr Parser::infix(NodePtr left, int power) {
  while (!line_ended()) {
    const auto id = tok().id;
    const auto& row = row_of(id);
    if (row.left == 0 || row.left < power) break;
    if (is_comparison(id)) {
      left = comparison(std::move(left));
    } else if (id == Token::range) {
      left = range_after(std::move(left));
    } else {
      take();
      const auto begin = left->span.begin;
      auto right = expression(row.right);
      left = make(NodeKind::binary, begin, std::move(left), std::move(right));
      left->op = id;
    }
  }
  return left;
}

// comparison → operand comparison-operator operand { comparison-operator operand }
NodePtr Parser::comparison(NodePtr left) {
  const auto begin = left->span.begin;
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::comparison;
  node->kids.push_back(std::move(left));
  while (is_comparison(tok().id) && !line_ended()) {
    node->ops.push_back(take().id);
    node->kids.push_back(expression(power::comparison + 1));
  }
  return finish(std::move(node), begin);
}

// range → first ".." [last] ["by" step | "count" number]
NodePtr Parser::range_after(NodePtr first) {
  const auto begin = first ? first->span.begin : tok().span.begin;
  const auto dots = take();
  NodePtr last;
  const bool may_be_open = subscript_position_;
  if (may_be_open && (is(Token::close_bracket) || is(Token::comma) || is_word("by"))) {
    // an open end
  } else {
    if (is(Token::range) || is(Token::ellipsis))
      fail_span(tok().span, "a range has two ends", "first..last by step");
    last = expression(power::range + 1);
    if (first && !dots.spaced && !may_be_open) warn_of_loose_range(*first, *last);
  }
  auto node = make(NodeKind::range, begin, std::move(first), std::move(last), NodePtr{});
  range_words(*node);
  node->span.end = last_end();
  return node;
}

// Warns of arithmetic beside an end that was probably meant for the whole range: 0..10 + 2, 0.1 * 0..10, dt *
// 0..10. An end is not computed from two literals or by adding 0; if it contains a name (1..n + 1, 1..2 * n),
// it is intended.
void Parser::warn_of_loose_range(const Node& first, const Node& last) {
  const auto is_loose = [&](const Node& n, const Node& end) {
    if (n.kind != NodeKind::binary || end.kind != NodeKind::number || n.left().span.begin != n.span.begin)
      return false;
    const auto gap = source_->text({n.left().span.end, n.right().span.begin});
    return gap.starts_with(' ') && gap.ends_with(' ') && gap.find('(') == std::string_view::npos;
  };
  const auto text = [&](Span span) { return source_->text(span); };
  const bool is_scaled_before =
      first.kind == NodeKind::binary && (first.op == Token::times || first.op == Token::divide);
  const auto is_number = [](const Node& n) { return n.kind == NodeKind::number; };
  if (is_scaled_before && is_loose(first, first.right()) &&
      (is_number(first.left()) || first.right().number == 0))
    warn(first.span,
         fmt::format("`..` binds less tightly than {}, so the range starts at {}",
                     first.op == Token::times ? "*" : "/", text(first.span)),
         fmt::format("{}({}..{})", text({first.span.begin, first.right().span.begin}),
                     text(first.right().span), text(last.span)));
  else if (last.kind == NodeKind::binary && is_loose(last, last.left()) && is_number(last.right()))
    warn(last.span,
         fmt::format("`..` binds less tightly than {}, so the range ends at {}",
                     trim(text({last.left().span.end, last.right().span.begin})), text(last.span)),
         fmt::format("({}..{}){}", text(first.span), text(last.left().span),
                     text({last.left().span.end, last.span.end})));
}

void Parser::range_words(Node& range) {
  if (line_ended() || !(is_word("by") || is_word("count"))) return;
  range.flag = take().name == "count";
  range.kids[2] = expression(power::range + 1);
  range.height = std::max(range.height, range.kids[2]->height + 1);
  if (!line_ended() && (is_word("by") || is_word("count")))
    fail_span(tok().span, "a range takes `by` or `count`, not both");
}

// prefix → "-" expression | "not" expression | operand postfix
NodePtr Parser::prefix() {
  const auto begin = tok().span.begin;
  if (tok().line_start && !brackets_.empty() && begins_statement(at_)) fail_in_brackets("an expression");
  switch (tok().id) {
    case Token::minus:
    case Token::kw_not: {
      const auto op = take().id;
      auto operand = expression(op == Token::minus ? power::sign : power::logical_not);
      if (op == Token::minus && operand->kind == NodeKind::number) {
        operand->number = -operand->number;
        operand->span.begin = begin;
        return operand;
      }
      auto node = make(NodeKind::unary, begin, std::move(operand));
      node->op = op;
      return node;
    }
    case Token::number: return postfix(number());
    case Token::text: return postfix(text());
    case Token::name: return name_or_prefix_word();
    case Token::kw_true:
    case Token::kw_false: {
      auto node = make(NodeKind::boolean, begin);
      node->flag = take().id == Token::kw_true;
      node->span.end = last_end();
      return node;
    }
    case Token::kw_none: {
      take();
      return make(NodeKind::none, begin);
    }
    case Token::kw_last: {
      if (index_depth_ == 0)
        fail_span(tok().span, "`last` is the end of an axis and is only allowed inside index brackets",
                  "a[last]; the number of elements is length(a)");
      take();
      return make(NodeKind::last, begin);
    }
    case Token::kw_if: return conditional();
    case Token::kw_fn: {
      take();
      return postfix(function_literal("", begin, ""));
    }
    case Token::open_paren: return postfix(parenthesised());
    case Token::open_bracket: return postfix(brackets());
    case Token::open_brace:
      if (is_block_of_header())
        fail_span(tok().span, "missing condition before the block",
                  at_ > 1 && tokens_[at_ - 2].id == Token::kw_else ? "without a condition, write else { … }"
                  : at_ > 0 && tokens_[at_ - 1].id == Token::kw_while
                      ? "while true { … } repeats until `break`"
                      : "");
      return postfix(dictionary());
    case Token::plus: fail_span(tok().span, "there is no unary plus", "leave it out");
    case Token::transpose:
      fail_span(tok().span, "missing operand before '", "texts are written in double quotes: \"abc\"");
    case Token::range:
    case Token::ellipsis:
      fail_span(tok().span, fmt::format("{} needs a start here", in_words(tok().id)),
                "open ranges are only allowed inside index brackets: a[2..]");
    default:
      if (at_ > 0 && tokens_[at_ - 1].id == Token::assign && !tok().spaced) {
        --at_;
        explain_assign();
        ++at_;
      }
      if (!brackets_.empty() && (is(Token::end) || begins_statement(at_))) fail_in_brackets("an expression");
      fail_token("an expression");
  }
}

std::string Parser::text_of_token(const Lexeme& token) const {
  return std::string(source_->text(token.span));
}

void Parser::fail_colon() {
  fail_span(
      tok().span, "`:` is not an operator",
      at_ > 0 && ahead(1).id != Token::end
          ? fmt::format("write a range as  {}..{}", text_of_token(tokens_[at_ - 1]), text_of_token(ahead(1)))
          : "");
}

NodePtr Parser::number() {
  const auto token = take();
  auto node = make(NodeKind::number, token.span.begin);
  node->number = token.number;
  node->flag = token.imaginary;
  // An integer literal with more digits than float64 holds would change its value.
  std::string digits;
  for (const char c : source_->text(token.span))
    if (c != '_') digits += c;
  const bool is_hex = digits.starts_with("0x") || digits.starts_with("0X");
  if (is_hex ? token.number >= 0x1p53 &&
                   std::stoull(digits, nullptr, 16) != static_cast<unsigned long long>(token.number)
             : is_rounded_integer(digits, token.number))
    warn(token.span,
         fmt::format("{} has more digits than float64 holds and is rounded to {:.0f}", digits, token.number),
         fmt::format("int64({}) keeps all digits", digits));
  return node;
}

// Literals in int64(…) keep all their digits.
void Parser::keep_digits(const Node& node) {
  if (node.kind == NodeKind::number)
    std::erase_if(warnings_, [&](const Error& warning) {
      return warning.location.span.begin == node.span.begin && warning.location.span.end == node.span.end;
    });
  const bool holds = node.kind == NodeKind::matrix || node.kind == NodeKind::row ||
                     node.kind == NodeKind::argument ||
                     (node.kind == NodeKind::unary && node.op == Token::minus);
  for (const auto& kid : node.kids)
    if (holds && kid) keep_digits(*kid);
}

// text → TEXT { TEXT }
NodePtr Parser::text() {
  const auto begin = tok().span.begin;
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::text;
  const auto begins_description = [&] {
    const auto& next = ahead(1);
    return describes_ && open_ == 0 &&
           (next.id == Token::end || next.line_start || next.id == Token::semicolon);
  };
  for (bool first = true; is(Token::text) && (first || (!line_ended() && !begins_description()));
       first = false) {
    const auto token = take();
    for (const auto& piece : token.pieces) {
      if (!piece.is_hole) {
        if (piece.literal.empty()) continue;
        auto literal = make(NodeKind::literal, token.span.begin);
        literal->text = piece.literal;
        node->kids.push_back(std::move(literal));
        continue;
      }
      if (trim(source_->text(piece.hole)).empty())
        fail_span({piece.hole.begin - 1, piece.hole.end + 1}, "no expression in the braces of this text",
                  "write {{ for a brace");
      Parser inner(source_, piece.hole);
      inner.nesting_ = nesting_ + 1;
      inner.functions_ = functions_;
      inner.index_depth_ = index_depth_;
      auto value = inner.run_expression();
      auto hole = make(NodeKind::hole, piece.hole.begin, std::move(value));
      hole->span = piece.hole;
      hole->text = piece.specification;
      node->kids.push_back(std::move(hole));
    }
  }
  return finish(std::move(node), begin);
}

// operand → NAME | "each" call | "alias" place
NodePtr Parser::name_or_prefix_word() {
  const auto token = take();
  const auto begin = token.span.begin;
  const bool name_follows = is(Token::name) && !tok().line_start;
  if (token.name == "each" && name_follows) {
    auto callee = make(NodeKind::name, tok().span.begin);
    callee->text = take().name;
    callee->span.end = last_end();
    while (is(Token::dot) && !line_ended()) {
      take();
      const auto part = expect(Token::name, "after the dot");
      const auto at = callee->span.begin;
      callee = make(NodeKind::part, at, std::move(callee));
      callee->text = part.name;
    }
    if (!is(Token::open_paren) || line_ended())
      fail_span({begin, last_end()}, "`each` takes a name and one call", "each f(x, down(y))");
    const auto at = callee->span.begin;
    auto call = make(NodeKind::call, at, std::move(callee));
    arguments(*call);
    call = finish(std::move(call), at);
    return postfix(make(NodeKind::each, begin, std::move(call)));
  }
  const bool is_written = (is(Token::number) || is(Token::text)) && !tok().line_start;
  if (token.name == "each" && is_written)
    fail_span({begin, tok().span.end}, "`each` takes a name and one call", "each f(x, down(y))");
  if (token.name == "alias" &&
      (is_written || ((is(Token::open_bracket) || is(Token::open_brace)) && tok().spaced)))
    fail_span({begin, last_end()}, "only a variable or a part of it can be aliased",
              "a = [1, 2, 3]; w = alias a[1..2]");
  if (token.name == "alias" && name_follows) {
    auto base = make(NodeKind::name, tok().span.begin);
    base->text = take().name;
    base->span.end = last_end();
    auto place = postfix(std::move(base));
    return make(NodeKind::alias, begin, std::move(place));
  }
  auto node = make(NodeKind::name, begin);
  node->text = token.name;
  return postfix(std::move(node));
}

// postfix → base { "(" arguments ")" | "[" subscripts "]" | "." NAME | "'" }
NodePtr Parser::postfix(NodePtr base) {
  while (!line_ended()) {
    const auto begin = base->span.begin;
    if (is(Token::open_paren)) {
      auto call = make(NodeKind::call, begin, std::move(base));
      arguments(*call);
      base = finish(std::move(call), begin);
      if (base->callee().kind == NodeKind::name && base->callee().text == "int64" &&
          base->argument_count() == 1)
        keep_digits(base->argument(0));
    } else if (is(Token::open_bracket)) {
      take();
      auto index = make(NodeKind::index, begin, std::move(base));
      {
        const Inside brackets(*this);
        Restored<int> depth(index_depth_, index_depth_ + 1);
        if (is(Token::close_bracket))
          fail_span({begin, tok().span.end}, "empty index brackets", "a[..] selects everything");
        while (true) {
          index->kids.push_back(subscript());
          if (!accept(Token::comma)) break;
        }
        if (is(Token::colon)) fail_colon();
        if (!is(Token::close_bracket)) fail_in_brackets("`,` or `]`");
      }
      take();
      base = finish(std::move(index), begin);
    } else if (is(Token::dot)) {
      take();
      const auto part = expect(Token::name, "after the dot");
      base = make(NodeKind::part, begin, std::move(base));
      base->text = part.name;
    } else if (is(Token::transpose)) {
      take();
      base = make(NodeKind::unary, begin, std::move(base));
      base->op = Token::transpose;
    } else {
      break;
    }
  }
  return base;
}

// subscript → "new" | "..." | [expression] ".." [expression] ["by" expression] | expression
NodePtr Parser::subscript() {
  const auto begin = tok().span.begin;
  if (is(Token::kw_new) || is(Token::ellipsis)) {
    const auto kind = take().id == Token::kw_new ? NodeKind::new_axis : NodeKind::rest;
    return make(kind, begin);
  }
  Restored<bool> place(subscript_position_, true);
  if (is(Token::colon)) fail_span(tok().span, "`:` is not an index", "the whole of an axis is `..`");
  if (is(Token::range)) return range_after(nullptr);
  if (is(Token::name) && ahead(1).id == Token::colon) fail_span(tok().span, "subscripts cannot be named");
  return expression();
}

// arguments → "(" [ argument { "," argument } ] ")"
void Parser::arguments(Node& into) {
  take();
  const Inside brackets(*this);
  Restored<bool> place(subscript_position_, false);
  bool named = false;
  while (!is(Token::close_paren)) {
    auto a = argument();
    if (a->text.empty() && named)
      fail_span(a->span, "a positional argument cannot follow a named one",
                "write positional arguments first");
    named = named || !a->text.empty();
    for (std::size_t i = 0; i < into.kids.size(); ++i)
      if (!a->text.empty() && into.kids[i]->kind == NodeKind::argument && into.kids[i]->text == a->text)
        fail_span(a->span, fmt::format("the argument `{}` is given twice", a->text));
    into.kids.push_back(std::move(a));
    if (!accept(Token::comma)) break;
  }
  if (!is(Token::close_paren)) {
    explain_assign();
    if (is(Token::assign) && into.kids.back()->kind == NodeKind::argument)
      fail_span(tok().span, "write a named argument with a colon",
                fmt::format("{}: {}", source_->text(into.kids.back()->span), text_of_token(ahead(1))));
    fail_in_brackets("`,` or `)`");
  }
  take();
}

// argument → [NAME ":"] expression
NodePtr Parser::argument() {
  const auto begin = tok().span.begin;
  std::string name;
  if (is(Token::name) && ahead(1).id == Token::colon) {
    name = take().name;
    take();
  }
  auto node = make(NodeKind::argument, begin, expression());
  node->text = std::move(name);
  return node;
}

// choice → "if" expression "then" expression "else" expression
NodePtr Parser::conditional() {
  const auto begin = take().span.begin;
  Restored<bool> place(subscript_position_, false);
  auto condition = expression();
  if (is(Token::open_brace))
    fail_span(tok().span, "a block is not allowed inside an expression", "if c then a else b");
  expect(Token::kw_then, "after the condition", "if c then a else b");
  auto yes = expression();
  expect(Token::kw_else, "in a choice that gives a value", "if c then a else b");
  auto no = expression();
  return make(NodeKind::conditional, begin, std::move(condition), std::move(yes), std::move(no));
}

}  // namespace quill
