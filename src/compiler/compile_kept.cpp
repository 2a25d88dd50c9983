// Names of the module and fields of records that loops read again and again.
#include <algorithm>

#include "compiler/compiler_state.h"

namespace quill {

namespace {

constexpr std::size_t kMostKept = 24;  // values for each loop

// The names, and fields of names, that a piece of program reads outside of functions.
void collect_reads(const Node& node, std::vector<const Node*>& out) {
  if (node.kind == NodeKind::function) return;
  // Not the names of called functions: native code inlines calls of names of the module.
  const bool is_call = node.kind == NodeKind::call && node.callee().kind == NodeKind::name;
  for (std::size_t k = is_call ? 1 : 0; k < node.kids.size(); ++k)
    if (node.kids[k]) collect_reads(node.kid(k), out);
  if (node.kind == NodeKind::name || (node.kind == NodeKind::part && node.base().kind == NodeKind::name))
    out.push_back(&node);
}

}  // namespace

int Compiler::kept_value(int from, const std::string& field) const {
  const auto found = std::find_if(kept_values_.begin(), kept_values_.end(), [&](const KeptValue& kept) {
    return kept.from == from && kept.field == field;
  });
  return found == kept_values_.end() ? -1 : found->r;
}

int Compiler::part(const Node& node, int wanted) {
  const int mark = next_;
  const int base = value(node.base());
  if (const int kept = kept_value(base, node.text); kept >= 0) {
    emit(Op::part_once, node, kept, base, literal(Value::text(node.text)));
    return kept;
  }
  next_ = mark;
  const int r = wanted >= 0 ? wanted : fresh();
  emit(Op::part, node, r, base, literal(Value::text(node.text)));
  return r;
}

void Compiler::keep_value(const Node& node, const Node& loop, int from, const std::string& field) {
  if (kept_value(from, field) >= 0) return;
  const auto count = std::count_if(kept_values_.begin(), kept_values_.end(),
                                   [&](const KeptValue& kept) { return kept.loop == &loop; });
  if (static_cast<std::size_t>(count) == kMostKept) return;
  const int r = fresh();
  kept_values_.push_back({from, field, r, &loop});
  if (field.empty())
    emit(Op::global_early, node, r, from);
  else
    emit(Op::part_early, node, r, from, literal(Value::text(field)));
}

void Compiler::keep_values(const Node& loop) {
  std::vector<const Node*> reads;
  collect_reads(loop.body(), reads);
  if (loop.kind == NodeKind::loop_while) collect_reads(loop.condition(), reads);
  if (reads.empty()) return;
  std::set<int> changed;
  for (const auto& use : effects_of(loop))
    if (use.is_change()) changed.insert(register_of(use.binding));
  for (const auto* read : reads) {
    const auto& name = read->kind == NodeKind::part ? read->base() : *read;
    int r = register_of(name.binding);
    if (r < 0 && name.binding.kind == Binding::Kind::global) {
      keep_value(name, loop, name.binding.index, {});
      r = kept_value(name.binding.index, {});
    } else if (r >= 0 && (!assigned_.contains(r) || shared_.contains(r) || changed.contains(r))) {
      continue;
    }
    if (read->kind == NodeKind::part && r >= 0) keep_value(*read, loop, r, read->text);
  }
}

void Compiler::release_values(const Node& loop) {
  while (!kept_values_.empty() && kept_values_.back().loop == &loop) {
    // Otherwise an array would be in use twice and copied when it is modified.
    load(loop, Value::none(), kept_values_.back().r);
    kept_values_.pop_back();
  }
}

}  // namespace quill
