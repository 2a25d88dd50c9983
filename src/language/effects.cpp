#include "language/effects.h"

#include <fmt/format.h>

#include <algorithm>

namespace quill {

namespace {

class Walk {
 public:
  Effects run(const Node& node) {
    if (node.kind == NodeKind::function)
      function(node);
    else
      visit(node);
    return std::move(out_);
  }

 private:
  using How = NameUse::How;

  void add(How how, const Node& node, const std::string& name) {
    out_.push_back({how, &node, name, node.binding, functions_ > 0, comprehensions_ > 0});
  }
  void kids(const Node& node, std::size_t from = 0) {
    for (auto k = from; k < node.kids.size(); ++k)
      if (node.kids[k]) visit(*node.kids[k]);
  }

  void function(const Node& node) {
    for (const auto& kid : node.kids) {
      if (kid->kind == NodeKind::parameter) add(How::bound, *kid, kid->text);
      visit(*kid);
    }
  }

  // The target of an assignment.
  void target(const Node& node, bool combined, bool alias) {
    if (node.kind == NodeKind::name)
      return add(alias ? How::alias : combined ? How::changed : How::assigned, node, node.text);
    if (node.kind != NodeKind::index) return;
    const Node* base = &node;
    while (base->kind == NodeKind::index) {
      kids(*base, 1);
      base = &base->base();
    }
    if (base->kind == NodeKind::name)
      add(How::changed, *base, base->text);
    else
      visit(*base);
  }

  void alias(const Node& node) {
    const auto& place = node.aliased_target();
    const auto& owner = place.kind == NodeKind::index ? place.base() : place;
    if (owner.kind == NodeKind::name)
      add(How::aliased, owner, owner.text);
    else
      visit(owner);
    if (place.kind == NodeKind::index) kids(place, 1);
  }

  void visit(const Node& node) {
    switch (node.kind) {
      case NodeKind::name: return add(How::read, node, node.text);
      case NodeKind::function:
        ++functions_;
        function(node);
        --functions_;
        return;
      case NodeKind::comprehension:
        ++comprehensions_;
        for (const auto& kid : node.kids)
          if (kid && kid->kind == NodeKind::generator) {
            if (kid->bound_count() == 0) add(How::bound, *kid, kid->text);
            for (std::size_t k = 1; k <= kid->bound_count(); ++k)
              add(How::bound, kid->kid(k), kid->kid(k).text);
          }
        kids(node);
        --comprehensions_;
        return;
      case NodeKind::assign: {
        const auto& source = node.assigned_value();
        visit(source);
        for (std::size_t k = 0; k < node.target_count(); ++k)
          target(node.target(k), node.op != Token::assign, source.kind == NodeKind::alias);
        return;
      }
      case NodeKind::alias: return alias(node);
      case NodeKind::define:
        add(How::assigned, node, name_defined_by(node));
        out_.back().node = &node.defined_function();
        return kids(node);
      case NodeKind::given:
      case NodeKind::use: kids(node); return add(How::assigned, node, name_defined_by(node));
      case NodeKind::loop_for:
        visit(node.loop_source());
        for (std::size_t k = 0; k < node.loop_target_count(); ++k) target(node.target(k), false, false);
        return visit(node.body());
      default: return kids(node);
    }
  }

  Effects out_;
  int functions_ = 0, comprehensions_ = 0;
};

}  // namespace

Effects effects_of(const Node& node) { return Walk().run(node); }

int mentions(const Effects& effects, const Node& name) {
  return static_cast<int>(std::count_if(effects.begin(), effects.end(), [&](const NameUse& use) {
    return use.how != NameUse::How::bound &&
           (use.name == name.text ||
            (use.binding.kind == name.binding.kind && use.binding.index == name.binding.index));
  }));
}

bool is_read_by_functions(const Effects& effects, const Binding& global) {
  return std::any_of(effects.begin(), effects.end(), [&](const NameUse& use) {
    return use.in_function && use.binding.kind == Binding::Kind::global && use.binding.index == global.index;
  });
}

const std::string& name_defined_by(const Node& node) {
  if (node.kind == NodeKind::define) return node.defined_function().text;
  return node.kind == NodeKind::use ? node.prose : node.text;
}

bool is_elementwise(Token op) {
  switch (op) {
#define QUILL_CASE(name, functor, token, ...) case Token::token:
    QUILL_ELEMENTWISE_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
    case Token::kw_not: return true;
    default: return false;
  }
}

bool is_elementwise_expression(const Node& node) {
  switch (node.kind) {
    case NodeKind::name:
    case NodeKind::number:
    case NodeKind::boolean: return true;
    case NodeKind::unary:
    case NodeKind::binary:
      if (!is_elementwise(node.op)) return false;
      break;
    case NodeKind::comparison: break;
    default: return false;
  }
  return std::all_of(node.kids.begin(), node.kids.end(),
                     [](const NodePtr& kid) { return is_elementwise_expression(*kid); });
}

namespace {

std::string line_of(const Effects& effects, bool in_function) {
  std::string out;
  const auto part = [&](const char* word, auto... hows) {
    std::vector<std::string> names;
    for (const auto& use : effects) {
      if (use.in_function != in_function || !((use.how == hows) || ...)) continue;
      if (use.how == NameUse::How::read && use.binding.kind == Binding::Kind::builtin) continue;
      if (std::find(names.begin(), names.end(), use.name) == names.end()) names.push_back(use.name);
    }
    if (!names.empty()) out += fmt::format("{}{} {}", out.empty() ? "" : "; ", word, fmt::join(names, ", "));
  };
  using enum NameUse::How;
  part("assigns", assigned, alias);
  part("changes", changed);
  part("reads", read);
  part("aliases", aliased);
  part("binds", bound);
  std::vector<std::string> called;
  for (const auto& use : effects)
    if (use.in_function == in_function && use.binding.kind == Binding::Kind::builtin &&
        std::find(called.begin(), called.end(), use.name) == called.end())
      called.push_back(use.name);
  if (!called.empty()) out += fmt::format("{}uses {}", out.empty() ? "" : "; ", fmt::join(called, ", "));
  return out;
}

void add_functions(const Node& node, std::string& out, int depth) {
  if (node.kind == NodeKind::function) {
    const auto captured = node.scope ? node.scope->captured : std::vector<std::string>();
    out += fmt::format("{}fn {}: {}{}{}\n", std::string(static_cast<std::size_t>(2 * depth), ' '),
                       node.text.empty() ? "" : node.text, line_of(effects_of(node), false),
                       captured.empty() ? "" : fmt::format("; captures {}", fmt::join(captured, ", ")),
                       node.flag && is_elementwise_expression(*node.kids.back()) ? "; elementwise" : "");
    ++depth;
  }
  for (const auto& kid : node.kids)
    if (kid) add_functions(*kid, out, depth);
}

}  // namespace

std::string dump_effects(const Tree& tree) {
  std::string out;
  for (const auto& statement : tree.root->kids) {
    const auto line = tree.source->position(statement->span.begin).line;
    const auto what = line_of(effects_of(*statement), false);
    const bool elementwise =
        (statement->kind == NodeKind::assign && is_elementwise_expression(statement->assigned_value())) ||
        (statement->kind == NodeKind::expression && is_elementwise_expression(statement->shown_value()));
    out += fmt::format("line {}: {}{}\n", line, what.empty() ? "nothing" : what,
                       elementwise ? "; elementwise" : "");
    add_functions(*statement, out, 1);
  }
  return out;
}

}  // namespace quill
