#include "compiler/constants.h"

#include <cmath>

#include "array/scalar.h"
#include "base/number.h"
#include "compiler/compiler.h"
#include "compiler/operations_table.h"

namespace quill {

std::optional<double> constant_of(const Node& node) {
  const auto finite = [](double x) { return std::isfinite(x) ? std::optional(x) : std::nullopt; };
  if (node.kind == NodeKind::number) return node.flag ? std::nullopt : finite(node.number);
  if (node.kind == NodeKind::unary && node.op == Token::minus) {
    const auto x = constant_of(node.operand());
    return x ? std::optional(scalar::Negate{}(*x)) : std::nullopt;
  }
  if (node.kind != NodeKind::binary) return std::nullopt;
  switch (node.op) {
    case Token::plus:
    case Token::minus:
    case Token::times:
    case Token::divide:
    case Token::power: break;
    default: return std::nullopt;
  }
  const auto a = constant_of(node.left());
  const auto b = a ? constant_of(node.right()) : std::nullopt;
  if (!b) return std::nullopt;
  return finite(scalar::with_arithmetic(binary_of(op_of(node.op)), [&](auto f) { return f(*a, *b); }));
}

namespace {

bool has_whole_numbers_only(const Node& node) {
  switch (node.kind) {
    case NodeKind::number: return is_whole(node.number);
    case NodeKind::unary: return has_whole_numbers_only(node.operand());
    case NodeKind::binary:
      return node.op != Token::divide && has_whole_numbers_only(node.left()) &&
             has_whole_numbers_only(node.right());
    default: return false;
  }
}

}  // namespace

bool is_whole_literal(const Node& node) {
  const auto value = constant_of(node);
  constexpr double end = 9223372036854775808.0;
  return value && is_whole(*value) && *value >= -end && *value < end && has_whole_numbers_only(node);
}

}  // namespace quill
