// Statements and names.
#include "session/check_values.h"

#include <fmt/format.h>

#include <algorithm>

#include "builtins/tables.h"
#include "session/check_values_state.h"

namespace quill {

bool is_plain_text(const Node& node) {
  return node.kind == NodeKind::text &&
         (node.kids.empty() || (node.kids.size() == 1 && node.kid(0).kind == NodeKind::literal));
}

std::string plain_text(const Node& node) { return node.kids.empty() ? "" : node.kid(0).text; }

ValueCheck::ValueCheck(const Tree& tree, const std::map<std::string, AbstractValue>& before) : tree_(tree) {
  effects_ = effects_of(*tree.root);
  for (const auto& use : effects_) {
    if (use.binding.kind != Binding::Kind::global) continue;
    if (const auto found = before.find(use.name); found != before.end()) {
      names_[{Binding::Kind::global, use.binding.index}] = found->second;
      given_.insert(use.name);
    }
    if (!use.is_change() || use.in_function || use.in_comprehension) continue;
    const auto [line, is_new] = lines_.try_emplace(use.name, use.node->span.begin);
    if (!is_new) line->second = std::min(line->second, use.node->span.begin);
    if (use.node->kind == NodeKind::function && ++definitions_[use.name] == 1)
      functions_[use.name] = use.node;
    if (use.node->kind != NodeKind::function) definitions_[use.name] += 2;
  }
}

std::vector<ValueFinding> ValueCheck::run() {
  block(*tree_.root);
  return std::move(findings_);
}

void ValueCheck::report(const Node& node, const std::string& message, std::string hint, bool is_sure) {
  if (!reported_.insert(node.span.begin).second) return;
  Error error(message, std::move(hint));
  error.location = {tree_.source, node.span};
  findings_.push_back({is_sure && uncertain_ == 0, std::move(error)});
}

// The function that a top-level name always refers to, or null.
const Node* ValueCheck::only_function(const Node& name) const {
  if (name.kind != NodeKind::name || name.binding.kind != Binding::Kind::global) return nullptr;
  const auto found = functions_.find(name.text);
  return found != functions_.end() && definitions_.at(name.text) == 1 ? found->second : nullptr;
}

void ValueCheck::block(const Node& node) {
  for (const auto& statement : node.kids) {
    this->statement(*statement);
    // Statements after a certain failure are not reached.
    if (!findings_.empty() && findings_.back().is_error && uncertain_ == 0 && depth_ == 0) ++uncertain_;
  }
}

void ValueCheck::forget_changed_in(const Node& node) {
  for (const auto& use : effects_of(node))
    if (use.is_change() && !use.in_function) {
      set(use.binding, AbstractValue{});
      given_.insert(use.name);
    }
}

void ValueCheck::statement(const Node& node) {
  switch (node.kind) {
    case NodeKind::assign: return assign(node);
    case NodeKind::define:
      set(node.binding, function(node.defined_function()));
      given_.insert(node.defined_function().text);
      return;
    case NodeKind::expression: value(node.shown_value()); return;
    case NodeKind::branch: return branch(node);
    case NodeKind::loop_for:
    case NodeKind::loop_while: return loop(node);
    case NodeKind::return_statement:
      if (node.returned_value()) value(*node.returned_value());
      return;
    case NodeKind::section:
      if (!sections_.insert(node.text).second)
        report(node, fmt::format("duplicate section: \"{}\"", node.text), "section titles must be unique");
      return;
    case NodeKind::given: {
      value(*node.default_value());
      set(node.binding, AbstractValue{});  // --set may give an array where the default is a number
      given_.insert(node.text);
      return;
    }
    case NodeKind::use:
      set(node.binding, AbstractValue{});
      given_.insert(node.prose);
      return;
    case NodeKind::figure:
    case NodeKind::panel:
    case NodeKind::extend:
    case NodeKind::timed: return headed(node);
    case NodeKind::expect: expectation(node); return;
    case NodeKind::block: return block(node);
    default: return;
  }
}

void ValueCheck::headed(const Node& node) {
  for (std::size_t k = 0; k < node.header_count(); ++k) {
    if (node.kids[k] == nullptr) continue;
    const auto& header = node.header(k);
    value(header.kind == NodeKind::argument ? header.argument_value() : header);
  }
  if (node.kind == NodeKind::figure && node.header_count() > 0 && uncertain_ == 0 && depth_ == 0) {
    const auto& first =
        node.header(0).kind == NodeKind::argument ? node.header(0).argument_value() : node.header(0);
    if (is_plain_text(first) && !figures_.insert(plain_text(first)).second)
      report(first,
             fmt::format("the figure \"{}\" is drawn twice: the second one replaces the first",
                         plain_text(first)),
             fmt::format("extend(\"{}\") {{ … }} adds to it", plain_text(first)), false);
  }
  if (node.kind == NodeKind::figure || node.kind == NodeKind::panel || node.kind == NodeKind::extend)
    look_at_words(node, node.kind == NodeKind::figure  ? "figure"
                        : node.kind == NodeKind::panel ? "panel"
                                                       : "extend");
  block(node.body());
}

void ValueCheck::expectation(const Node& node) {
  const auto known = value(node.condition());
  if (known.is(What::number) || known.is(What::text))
    report(node.condition(), fmt::format("a check must be a boolean, not {}", in_words(known)));
  if (!node.message()) return;
  ++uncertain_;  // evaluated only if the check fails
  value(*node.message());
  --uncertain_;
}

void ValueCheck::branch(const Node& node) {
  condition(node.condition());
  perhaps([&] { block(node.then_part()); });
  if (const auto* otherwise = node.else_part())
    perhaps([&] { otherwise->kind == NodeKind::branch ? branch(*otherwise) : block(*otherwise); });
  forget_changed_in(node);
}

void ValueCheck::condition(const Node& node) {
  const auto known = value(node);
  if (known.is(What::number) || known.is(What::text))
    report(node, fmt::format("a condition must be a boolean, not {}", in_words(known)),
           known.is(What::number) ? "compare: x != 0" : "");
  else if (known.is(What::array) && known.are_booleans)
    report(node, fmt::format("a condition must be a single boolean, not {}", in_words(known)),
           "any(…) or all(…) reduces it to one");
}

void ValueCheck::loop(const Node& node) {
  AbstractValue source;
  if (node.kind == NodeKind::loop_for) source = value(node.loop_source());
  if (source.is(What::number) || source.is(What::boolean))
    report(node.loop_source(), fmt::format("a loop cannot iterate over {}", in_words(source)),
           source.is(What::number) ? fmt::format("for k in 1..{} {{ … }}", written(node.loop_source())) : "");
  // The first evaluation of the condition is certain; later ones see names changed by the loop.
  if (node.kind == NodeKind::loop_while) condition(node.condition());
  forget_changed_in(node);
  perhaps([&] {
    if (node.kind == NodeKind::loop_for && node.loop_target_count() == 1 && source.is(What::array) &&
        source.shape && source.shape->count() == 1 && node.loop_source().kind == NodeKind::range)
      set(node.target(0).binding, abstract_number());
    block(node.body());
  });
  forget_changed_in(node);
}

void ValueCheck::assign(const Node& node) {
  auto known = value(node.assigned_value());
  if (known.is(What::nothing)) {
    report(node.assigned_value(),
           fmt::format("{} ended without a result to assign", written(node.assigned_value().callee())),
           "a function with a body in braces returns a value with `return`");
    known = {};
  }
  if (node.target_count() > 1) return unpack(node, known);
  const auto& target = node.target(0);
  if (target.kind == NodeKind::index) {
    place(target);
    return;
  }
  if (target.kind != NodeKind::name) return;
  if (node.op != Token::assign) {
    const auto old = name(target);
    known = arithmetic(node, symbol_of_update(node.op), old, known);
  }
  set(target.binding, std::move(known));
  given_.insert(target.text);
}

std::string ValueCheck::symbol_of_update(Token op) {
  const auto spelling = row_of(op).spelling;
  return std::string(spelling.substr(0, spelling.size() - 1));
}

void ValueCheck::unpack(const Node& node, const AbstractValue& known) {
  const auto count = static_cast<Index>(node.target_count());
  std::optional<Index> parts;
  if (known.is(What::tuple)) parts = static_cast<Index>(known.items.size());
  if (known.is(What::array) && known.shape && known.shape->count() > 0) parts = (*known.shape)[0];
  if (parts && *parts != count)
    report(node, fmt::format("{} names for {} part{}", count, *parts, *parts == 1 ? "" : "s"),
           "`_` discards a part");
  if (known.is(What::number) || known.is(What::text) || known.is(What::boolean))
    report(node, fmt::format("{} cannot be unpacked into {} names", in_words(known), count));
  for (std::size_t k = 0; k < node.target_count(); ++k) {
    const auto& target = node.target(k);
    if (target.kind == NodeKind::index) place(target);
    if (target.kind != NodeKind::name) continue;
    const bool is_part = known.is(What::tuple) && k < known.items.size();
    set(target.binding, is_part ? known.items[k] : AbstractValue{});
    given_.insert(target.text);
  }
}

void ValueCheck::set(const Binding& binding, AbstractValue known) {
  if (binding.kind != Binding::Kind::local && binding.kind != Binding::Kind::global) return;
  auto& now = names_[{binding.kind, binding.index}];
  if (!changed_.empty()) changed_.back().try_emplace({binding.kind, binding.index}, now);
  now = std::move(known);
}

AbstractValue ValueCheck::name(const Node& node) {
  if (node.binding.kind == Binding::Kind::builtin) {
    const auto& row = builtins().row(node.binding.index);
    return row.constant ? abstract_number(*row.constant) : AbstractValue{};
  }
  if (node.binding.kind == Binding::Kind::global && depth_ == 0) look_for_value(node);
  // Outer names may change before the function is called.
  if (depth_ > 0 && node.binding.kind != Binding::Kind::local) return {};
  const auto found = names_.find({node.binding.kind, node.binding.index});
  return found == names_.end() ? AbstractValue{} : found->second;
}

std::string ValueCheck::line_of(std::uint32_t at) const {
  return fmt::format("line {}", tree_.source->position(at).line);
}

// Reports a top-level name that is assigned only later.
void ValueCheck::look_for_value(const Node& node) {
  if (given_.contains(node.text) || builtins().find(node.text) >= 0) return;
  const auto line = lines_.find(node.text);
  if (line == lines_.end() || line->second <= node.span.begin) return;
  report(node, fmt::format("`{}` is used before it is assigned in {}", node.text, line_of(line->second)));
}

// Collects the top-level names that a function reads, directly or through functions it calls.
void ValueCheck::collect_reads(const std::string& function, std::set<std::string>& seen,
                               std::set<std::string>& reads) const {
  if (!seen.insert(function).second) return;
  const auto found = functions_.find(function);
  if (found == functions_.end() || definitions_.at(function) != 1) return;
  for (const auto& use : effects_of(*found->second)) {
    if (use.binding.kind != Binding::Kind::global || use.is_change()) continue;
    reads.insert(use.name);
    collect_reads(use.name, seen, reads);
  }
}

void ValueCheck::look_for_early_call(const Node& call) {
  // Once all names that a function reads are assigned, later calls need no check.
  if (depth_ > 0 || only_function(call.callee()) == nullptr || complete_.contains(call.callee().text)) return;
  std::set<std::string> seen, reads;
  collect_reads(call.callee().text, seen, reads);
  for (const auto& name : reads) {
    if (given_.contains(name) || builtins().find(name) >= 0) continue;
    const auto line = lines_.find(name);
    if (line == lines_.end() || line->second < call.span.begin) continue;
    report(call,
           fmt::format("`{}` reads `{}` before it is assigned in {}", call.callee().text, name,
                       line_of(line->second)),
           {}, false);
    return;
  }
  complete_.insert(call.callee().text);
}

std::vector<ValueFinding> check_values(const Tree& tree, const std::map<std::string, AbstractValue>& before) {
  return ValueCheck(tree, before).run();
}

}  // namespace quill
