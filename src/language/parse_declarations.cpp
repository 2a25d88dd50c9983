// Declarations and blocks: functions, sections, inputs, used files, figures, timings and checks.
#include <fmt/format.h>
#include <algorithm>
#include "base/text.h"
#include "language/parser_state.h"

namespace quill {

// define → "fn" NAME function
NodePtr Parser::define_statement() {
  auto prose = tok().prose;
  const auto begin = take().span.begin;
  const auto name = take();
  auto function = function_literal(name.name, begin, std::move(prose));
  return make(NodeKind::define, begin, std::move(function));
}

namespace {

// Characters of a text literal without holes; false if it has some.
bool plain_text(const Lexeme& token, std::string& out) {
  out.clear();
  for (const auto& piece : token.pieces) {
    if (piece.is_hole) return false;
    out += piece.literal;
  }
  return true;
}

}  // namespace

// section → "section" TEXT
NodePtr Parser::section_statement() {
  const auto begin = take().span.begin;
  const auto title = take();
  auto node = make(NodeKind::section, begin);
  if (!plain_text(title, node->text))
    fail_span(title.span, "the title of a section must not contain expressions");
  if (functions_ > 0 || blocks_ > 0) fail_span(node->span, "a section must be at the top level of a script");
  return node;
}

// given → "given" NAME "=" expression [TEXT]
NodePtr Parser::given_statement() {
  const auto begin = take().span.begin;
  const auto name = take();
  if (!is(Token::assign))
    fail_span({begin, last_end()}, "an input needs a default",
              fmt::format("given {} = 0.3 \"description (unit)\"", name.name));
  take();
  if (functions_ > 0 || blocks_ > 0)
    fail_span({begin, last_end()}, "an input must be at the top level of a script");
  NodePtr value;
  {
    Restored<bool> last_text(describes_, true);
    value = expression();
  }
  auto node = make(NodeKind::given, begin, std::move(value));
  node->text = name.name;
  if (is(Token::text) && !line_ended()) {
    const auto description = take();
    if (!plain_text(description, node->prose))
      fail_span(description.span, "the description of an input must not contain expressions");
  }
  return finish(std::move(node), begin);
}

// use → "use" TEXT "as" NAME
NodePtr Parser::use_statement() {
  const auto begin = take().span.begin;
  const auto file = take();
  auto node = make(NodeKind::use, begin);
  if (!plain_text(file, node->text))
    fail_span(file.span, "the name of the file must not contain expressions");
  if (!is_word("as")) fail_token("`as` and a name", fmt::format("use \"{}\" as tides", node->text));
  take();
  node->prose = expect(Token::name, "after `as`").name;
  return finish(std::move(node), begin);
}

// drawing → ("figure" | "panel" | "extend") arguments block
NodePtr Parser::drawing_statement(NodeKind kind) {
  const auto word = take();
  auto node = std::make_unique<Node>();
  node->kind = kind;
  arguments(*node);
  if (!is(Token::open_brace) || tok().line_start)
    fail_span({word.span.begin, last_end()}, fmt::format("`{}(…)` must be followed by a block", word.name),
              fmt::format("{}(…) {{ line(x, y) }}", word.name));
  const auto frames = std::find_if(node->kids.begin(), node->kids.end(),
                                   [](const NodePtr& kid) { return kid->text == "frames"; });
  if (kind != NodeKind::figure || frames == node->kids.end()) {
    node->kids.push_back(block("the arguments", word.span.begin));
    return finish(std::move(node), word.span.begin);
  }
  // The block is compiled as a loop, for frame in frames { …; end of frame }; the header notes that there are
  // frames.
  const auto span = (*frames)->span;
  const auto made = [&span](NodeKind made_kind, std::vector<NodePtr> kids) {
    auto out = std::make_unique<Node>();
    out->kind = made_kind;
    out->span = span;
    for (auto& kid : kids) out->height = std::max(out->height, kid->height + 1);
    out->kids = std::move(kids);
    return out;
  };
  const auto listed = [](auto... kids) {
    std::vector<NodePtr> out;
    (out.push_back(std::move(kids)), ...);
    return out;
  };
  const auto name = [&] {
    auto out = made(NodeKind::name, {});
    out->text = "frame";
    return out;
  };
  auto values = std::move((*frames)->kids[0]);
  (*frames)->kids[0] = made(NodeKind::boolean, {});
  (*frames)->kids[0]->flag = true;
  const int loops = std::exchange(loops_, 0);  // `break` must not leave a loop around the figure
  auto body = block("the arguments", word.span.begin);
  loops_ = loops;
  body->kids.push_back(made(NodeKind::end_frame, listed(name())));
  auto loop = made(NodeKind::loop_for, listed(name(), std::move(values), std::move(body)));
  node->kids.push_back(made(NodeKind::block, listed(std::move(loop))));
  return finish(std::move(node), word.span.begin);
}

// timed → "timed" [TEXT] [arguments] block
NodePtr Parser::timed_statement() {
  const auto begin = take().span.begin;
  auto node = std::make_unique<Node>();
  node->kind = NodeKind::timed;
  node->kids.push_back(is(Token::text) ? text() : nullptr);
  if (is(Token::name) && ahead(1).id == Token::colon)
    fail_span(tok().span, "the arguments of `timed` are written in parentheses",
              fmt::format("timed \"label\" ({}: …) {{ … }}", tok().name));
  if (is(Token::open_paren)) arguments(*node);
  node->kids.push_back(block("`timed`", begin));
  return finish(std::move(node), begin);
}

// expect → "expect" expression ["," expression]
NodePtr Parser::expect_statement() {
  const auto begin = take().span.begin;
  auto condition = this->condition(false);
  NodePtr message;
  if (is(Token::comma) && !line_ended()) {
    take();
    message = expression();
  }
  return make(NodeKind::expect, begin, std::move(condition), std::move(message));
}

Tree parse(const SourcePtr& source) {
  if (const auto at = find_malformed(source->text()); at != std::string::npos) {
    Tree tree;
    tree.source = source;
    tree.root = std::make_unique<Node>();
    tree.root->kind = NodeKind::block;
    Error error("this byte is not UTF-8 text", "the file has another encoding, or is not a script");
    const auto begin = static_cast<std::uint32_t>(at);
    error.location = {source, {begin, begin + 1}};
    tree.errors.push_back(std::move(error));
    return tree;
  }
  return Parser(source, {0, static_cast<std::uint32_t>(source->text().size())}).run();
}

bool is_unfinished(const SourcePtr& source) {
  Parser parser(source, {0, static_cast<std::uint32_t>(source->text().size())});
  parser.run();
  return parser.unfinished();
}

}  // namespace quill
