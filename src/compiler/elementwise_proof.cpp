#include "compiler/elementwise_proof.h"

#include <algorithm>

#include "compiler/program.h"

namespace quill {

namespace {

// What an expression is in each of many calls; `other` is everything that is not proved.
enum class Outcome : std::uint8_t { single, varying, vector, other };

class Proof {
 public:
  Proof(const Registry& registry, const FunctionObject& function, std::span<const Role> roles, int depth)
      : registry_(registry), function_(function), roles_(roles), depth_(depth) {}

  bool holds() const {
    const auto* node = function_.function->definition;
    if (!node || !node->flag || roles_.size() != function_.function->parameters.size()) return false;
    const auto result = of(*node->kids.back());
    return result == Outcome::single || result == Outcome::varying;
  }

 private:
  // The value of a name from outside; null for all others.
  const Value* outer_value(const Binding& b) const {
    const Value* value = nullptr;
    if (b.kind == Binding::Kind::captured) value = &function_.captured[static_cast<std::size_t>(b.index)];
    if (b.kind == Binding::Kind::global)
      value = &function_.function->module->slots[static_cast<std::size_t>(b.index)];
    return value && (value->is(Kind::store) || value->is(Kind::alias)) ? nullptr : value;
  }

  static Outcome outcome_of(const Value& value) {
    if (value.is_number()) return Outcome::single;
    const bool is_vector =
        value.is(Kind::array) && value.array().axes() == 1 && is_numeric(value.array().type());
    return is_vector ? Outcome::vector : Outcome::other;
  }

  Outcome of_name(const Node& node) const {
    const auto& b = node.binding;
    if (b.kind == Binding::Kind::builtin)
      return registry_.row(b.index).constant ? Outcome::single : Outcome::other;
    if (b.kind == Binding::Kind::local) {
      if (b.index >= static_cast<int>(roles_.size())) return Outcome::other;
      const auto role = roles_[static_cast<std::size_t>(b.index)];
      return role == Role::varying  ? Outcome::varying
             : role == Role::single ? Outcome::single
                                    : Outcome::vector;
    }
    const auto* value = outer_value(b);
    return value ? outcome_of(*value) : Outcome::other;
  }

  // Of operands that are combined element by element.
  Outcome combined(const Node& node, std::size_t from = 0) const {
    Outcome out = Outcome::single;
    for (std::size_t k = from; k < node.kids.size(); ++k) {
      const auto part = of(node.kid(k));
      if (part != Outcome::single && part != Outcome::varying) return Outcome::other;
      out = std::max(out, part);
    }
    return out;
  }

  Outcome of_call(const Node& node) const {
    std::vector<Role> roles;
    for (std::size_t k = 1; k < node.kids.size(); ++k) {
      const auto& argument = node.kid(k);
      if (argument.kind != NodeKind::argument || !argument.text.empty()) return Outcome::other;
      const auto part = of(argument.kid(0));
      if (part == Outcome::other) return part;
      roles.push_back(part == Outcome::varying  ? Role::varying
                      : part == Outcome::single ? Role::single
                                                : Role::vector);
    }
    const bool varies = std::find(roles.begin(), roles.end(), Role::varying) != roles.end();
    const auto& callee = node.kid(0);
    if (callee.kind != NodeKind::name) return Outcome::other;
    bool proved = false;
    if (callee.binding.kind == Binding::Kind::builtin) {
      proved = registry_.row(callee.binding.index).unary.has_value() && roles.size() == 1 &&
               roles[0] != Role::vector;
    } else if (const auto* value = outer_value(callee.binding); value && value->is(Kind::function)) {
      constexpr int deepest = 20;
      proved =
          depth_ < deepest && Proof(registry_, value->object<FunctionObject>(), roles, depth_ + 1).holds();
    }
    if (!proved) return Outcome::other;
    return varies ? Outcome::varying : Outcome::single;
  }

  // An element of a vector at a place that is the same in all calls.
  Outcome of_index(const Node& node) const {
    if (node.kids.size() != 2 || of(node.kid(0)) != Outcome::vector) return Outcome::other;
    const auto& subscript = node.kid(1);
    const bool is_place = subscript.kind == NodeKind::last || of(subscript) == Outcome::single;
    return is_place ? Outcome::single : Outcome::other;
  }

  Outcome of(const Node& node) const {
    switch (node.kind) {
      case NodeKind::number: return node.flag ? Outcome::other : Outcome::single;
      case NodeKind::name: return of_name(node);
      case NodeKind::unary: return node.op == Token::minus ? combined(node) : Outcome::other;
      case NodeKind::binary: {
        const bool elementwise = node.op == Token::plus || node.op == Token::minus ||
                                 node.op == Token::times || node.op == Token::divide ||
                                 node.op == Token::remainder || node.op == Token::power;
        return elementwise ? combined(node) : Outcome::other;
      }
      case NodeKind::choice: {
        if (of(node.kid(0)) != Outcome::single) return Outcome::other;
        return combined(node, 1);
      }
      case NodeKind::comparison: return combined(node) == Outcome::single ? Outcome::single : Outcome::other;
      case NodeKind::call: return of_call(node);
      case NodeKind::index: return of_index(node);
      default: return Outcome::other;
    }
  }

  const Registry& registry_;
  const FunctionObject& function_;
  std::span<const Role> roles_;
  int depth_;
};

}  // namespace

bool is_elementwise(const Registry& registry, const Value& function, std::span<const Role> arguments) {
  if (function.is(Kind::builtin))
    return function.object<BuiltinObject>().row->unary && arguments.size() == 1 &&
           arguments[0] == Role::varying;
  return function.is(Kind::function) &&
         Proof(registry, function.object<FunctionObject>(), arguments, 0).holds();
}

}  // namespace quill
