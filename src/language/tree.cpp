#include "language/tree.h"

#include <fmt/format.h>

#include "base/number.h"

namespace quill {

namespace {

std::string kids_of(const Node& node, std::size_t from = 0) {
  std::string out;
  for (std::size_t i = from; i < node.kids.size(); ++i) {
    if (!out.empty()) out += ' ';
    out += node.kids[i] ? dump(*node.kids[i]) : "-";
  }
  return out;
}

std::string form(std::string_view head, const Node& node) {
  const auto kids = kids_of(node);
  return kids.empty() ? fmt::format("({})", head) : fmt::format("({} {})", head, kids);
}

}  // namespace

std::string dump(const Node& node) {
  switch (node.kind) {
    case NodeKind::number: return shortest(node.number) + (node.flag ? "i" : "");
    case NodeKind::text: return form("text", node);
    case NodeKind::literal: return fmt::format("\"{}\"", node.text);
    case NodeKind::hole: return form(node.text.empty() ? "hole" : fmt::format("hole:{}", node.text), node);
    case NodeKind::name: return node.text;
    case NodeKind::boolean: return node.flag ? "true" : "false";
    case NodeKind::none: return "none";
    case NodeKind::last: return "last";
    case NodeKind::unary:
    case NodeKind::binary: return form(row_of(node.op).spelling, node);
    case NodeKind::comparison: {
      std::string ops;
      for (const auto op : node.ops) ops += (ops.empty() ? "" : ",") + std::string(row_of(op).spelling);
      return form(ops, node);
    }
    case NodeKind::range: return form(node.flag ? "range-count" : "range", node);
    case NodeKind::conditional: return form("if", node);
    case NodeKind::call: return form("call", node);
    case NodeKind::argument:
      return node.text.empty() ? kids_of(node) : fmt::format("{}: {}", node.text, kids_of(node));
    case NodeKind::index: return form("index", node);
    case NodeKind::rest: return "...";
    case NodeKind::new_axis: return "new";
    case NodeKind::part: return form(fmt::format(".{}", node.text), node);
    case NodeKind::tuple: return form("tuple", node);
    case NodeKind::record: return form("record", node);
    case NodeKind::dictionary: return form("dictionary", node);
    case NodeKind::matrix: return form("matrix", node);
    case NodeKind::row: return form("row", node);
    case NodeKind::comprehension: return form("comprehension", node);
    case NodeKind::generator:
      return form(fmt::format("{} {}",
                              node.op == Token::kw_in ? "in"
                              : node.flag             ? "across"
                                                      : "down",
                              node.text),
                  node);
    case NodeKind::function: return form(node.text.empty() ? "fn" : fmt::format("fn {}", node.text), node);
    case NodeKind::parameter:
      return node.kids[0] ? fmt::format("{}={}", node.text, dump(*node.kids[0])) : node.text;
    case NodeKind::each: return form("each", node);
    case NodeKind::alias: return form("alias", node);
    case NodeKind::block: return form("block", node);
    case NodeKind::assign: return form(row_of(node.op).spelling, node);
    case NodeKind::discard: return "_";
    case NodeKind::bound_name: return node.text;
    case NodeKind::expression: return form("show", node);
    case NodeKind::define: return form("define", node);
    case NodeKind::branch: return form("branch", node);
    case NodeKind::loop_for: return form("for", node);
    case NodeKind::loop_while: return form("while", node);
    case NodeKind::break_statement: return "(break)";
    case NodeKind::end_frame: return "(end_frame)";
    case NodeKind::continue_statement: return "(continue)";
    case NodeKind::return_statement: return form("return", node);
    case NodeKind::section: return fmt::format("(section \"{}\")", node.text);
    case NodeKind::given: return form(fmt::format("given {}", node.text), node);
    case NodeKind::use: return fmt::format("(use \"{}\" {})", node.text, node.prose);
    case NodeKind::figure: return form("figure", node);
    case NodeKind::panel: return form("panel", node);
    case NodeKind::extend: return form("extend", node);
    case NodeKind::timed: return form("timed", node);
    case NodeKind::expect: return form("expect", node);
  }
  return "";
}

bool is_operator_expression(const Node& node) {
  switch (node.kind) {
    case NodeKind::unary: return node.op != Token::transpose;
    case NodeKind::binary:
    case NodeKind::comparison:
    case NodeKind::range:
    case NodeKind::conditional:
    case NodeKind::each: return true;
    default: return false;
  }
}

}  // namespace quill
