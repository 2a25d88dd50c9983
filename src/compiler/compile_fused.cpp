// Finds fused regions. Their inputs are evaluated first; the fused instruction is followed by the operations
// one by one, which run if the values do not allow fusion and define result, warnings and errors.
#include <algorithm>
#include <limits>
#include <utility>

#include "base/restored.h"
#include "compiler/compiler_state.h"
#include "compiler/fused_region.h"
#include "compiler/operations_table.h"

namespace quill {

namespace {

// The built-in called with positional arguments; null for other calls. `over`: the second argument may have
// that name.
const Builtin* called_builtin(const Node& node, const Registry& registry, bool over = false) {
  if (node.kind != NodeKind::call) return nullptr;
  const auto& callee = node.callee();
  if (callee.kind != NodeKind::name || callee.binding.kind != Binding::Kind::builtin) return nullptr;
  for (std::size_t k = 0; k < node.argument_count(); ++k) {
    const auto& argument = node.argument(k);
    const bool is_over = over && k == 1 && argument.text == "over";
    if (argument.kind != NodeKind::argument || !(argument.text.empty() || is_over)) return nullptr;
  }
  return &registry.row(callee.binding.index);
}

// The type that a row converts numbers to.
std::optional<ElementType> conversion_of(const Builtin& row) {
  for (const auto type : {ElementType::float64, ElementType::float32, ElementType::int64, ElementType::int32})
    if (row.name == name_of(type)) return type;
  return std::nullopt;
}

// Whether it consists of literals.
bool is_written(const Node& node) { return constant_of(node) || node.kind == NodeKind::matrix; }

// Whether a call of the row with so many arguments is one of its elementwise operation.
bool is_elementwise_call(const Builtin& row, std::size_t count) {
  if (count == 1 && conversion_of(row)) return true;
  return (row.unary && count == 1) || (row.binary && count == 2) || (row.name == "pick" && count == 3);
}

bool is_logic(const Node& node) {
  return node.kind == NodeKind::binary && (node.op == Token::kw_and || node.op == Token::kw_or);
}

// Larger expressions are divided into several regions.
constexpr int kMostOperations = 30;
static_assert(2 * kMostOperations + 2 < 64);

}  // namespace

// Whether reading it has no effects and cannot fail, so that it may be evaluated speculatively.
bool Compiler::is_plain(const Node& node) const {
  if (constant_of(node) || node.kind == NodeKind::boolean) return true;
  if (is_inlined(node)) return false;
  if (node.kind == NodeKind::name) {
    const int place = register_of(node.binding);
    return node.binding.kind == Binding::Kind::builtin || (place >= 0 && assigned_.contains(place));
  }
  const auto operands = fused_operands(node);
  return !operands.empty() && std::all_of(operands.begin(), operands.end(),
                                          [&](const Node* operand) { return is_plain(*operand); });
}

std::vector<const Node*> Compiler::fused_operands(const Node& node) const {
  if (constant_of(node)) return {};
  switch (node.kind) {
    case NodeKind::unary:
      if (node.op != Token::minus && node.op != Token::kw_not) return {};
      return {&node.operand()};
    case NodeKind::binary:
      if (node.op == Token::matrix_times || (is_logic(node) && !is_plain(node.right()))) return {};
      return {&node.left(), &node.right()};
    case NodeKind::comparison:
      if (node.ops.size() != 1) return {};
      return {&node.kid(0), &node.kid(1)};
    case NodeKind::call: {
      const auto* row = called_builtin(node, registry_);
      if (row ? !is_elementwise_call(*row, node.argument_count()) : !inline_calls_ || !is_inlined(node))
        return {};
      // Literals keep all their digits.
      if (row && conversion_of(*row) && is_written(node.argument(0).argument_value())) return {};
      std::vector<const Node*> out;
      for (std::size_t k = 0; k < node.argument_count(); ++k)
        out.push_back(&node.argument(k).argument_value());
      return out;
    }
    default: return {};
  }
}

bool Compiler::is_inlined(const Node& node) const {
  if (node.kind != NodeKind::call || node.argument_count() == 0) return false;
  const auto& callee = node.callee();
  if (callee.kind != NodeKind::name || callee.binding.kind == Binding::Kind::builtin) return false;
  const auto read = read_of(callee);
  if (!read || read->from == FusedRead::From::loop) return false;
  for (std::size_t k = 0; k < node.argument_count(); ++k)
    if (node.argument(k).kind != NodeKind::argument || !node.argument(k).text.empty()) return false;
  return true;
}

bool Compiler::reads_fit(const Node& node, bool& called) const {
  const auto operands = fused_operands(node);
  if (operands.empty()) return !called || is_plain(node);
  for (const auto* operand : operands)
    if (!reads_fit(*operand, called)) return false;
  called = called || is_inlined(node);
  return true;
}

int Compiler::count_fused(const Node& node, int most) const {
  const auto operands = fused_operands(node);
  if (operands.empty()) return selected_by(node) ? 1 : 0;  // an operation needs an array for it
  int count = 1;
  for (const auto* operand : operands) {
    if (count > most) break;
    count += count_fused(*operand, most - count);
  }
  return count;
}

const Node* Compiler::fused_argument(const Node& node) const {
  if (node.kind != NodeKind::call || node.argument_count() == 0) return nullptr;
  const auto* row = called_builtin(node, registry_, true);
  if (!row || !row->reduction) return nullptr;
  const auto& argument = node.argument(0).argument_value();
  const bool calculates = !fused_operands(argument).empty();
  if (node.argument_count() == 2) return calculates && axis_of(node) >= 0 ? &argument : nullptr;
  const bool is_array = argument.kind == NodeKind::name || argument.kind == NodeKind::index;
  return node.argument_count() == 1 && (is_array || calculates) ? &argument : nullptr;
}

int Compiler::axis_of(const Node& reduction) {
  if (reduction.argument_count() != 2 || reduction.argument(1).text != "over") return -1;
  const auto axis = constant_of(reduction.argument(1).argument_value());
  return axis == 1.0 || axis == 2.0 ? static_cast<int>(*axis) - 1 : -1;
}

const Node* Compiler::selected_by(const Node& selection) const {
  if (selection.kind != NodeKind::index || selection.subscript_count() != 1) return nullptr;
  const auto& base = selection.base();
  const auto& condition = selection.subscript(0);
  const bool is_condition = condition.kind == NodeKind::comparison || is_logic(condition) ||
                            (condition.kind == NodeKind::unary && condition.op == Token::kw_not);
  const bool fits = is_condition && !fused_operands(condition).empty() &&
                    count_fused(condition, kMostOperations) <= kMostOperations;
  return fits && is_kept(base) && reads_alone(condition) ? &condition : nullptr;
}

bool Compiler::is_kept(const Node& node) const {
  if (node.kind == NodeKind::part) return is_kept(node.base());
  if (node.kind != NodeKind::name || !is_plain(node)) return false;
  const int place = register_of(node.binding);
  return place >= 0 && !shared_.contains(place);
}

bool Compiler::reads_alone(const Node& node) const {
  if (is_inlined(node)) return false;  // its effects would come after the other inputs
  const auto operands = fused_operands(node);
  if (operands.empty()) return is_kept(node) || is_plain(node);
  return std::all_of(operands.begin(), operands.end(),
                     [&](const Node* operand) { return reads_alone(*operand); });
}

bool Compiler::is_fused_root(const Node& node) const {
  if (const auto* argument = fused_argument(node))
    return count_fused(*argument, kMostOperations) <= kMostOperations;
  const int count = count_fused(node, kMostOperations);
  return count > 1 && count <= kMostOperations;
}

std::optional<bool> Compiler::fused_root(const Node& node) {
  {
    const Restored calls(inline_calls_, true);
    bool called = false;
    const auto* argument = fused_argument(node);
    if (is_fused_root(node) && reads_fit(argument ? *argument : node, called) && called) return true;
  }
  const Restored calls(inline_calls_, false);
  return is_fused_root(node) ? std::optional(false) : std::nullopt;
}

int Compiler::chooser_of(const Node& node) const {
  if (node.kind != NodeKind::index || node.subscript_count() != 1 || !is_kept(node.base()) ||
      node.subscript(0).kind != NodeKind::name || !is_kept(node.subscript(0)))
    return -1;
  const int chooser = register_of(node.subscript(0).binding);
  return loop_names_.contains(chooser) ? -1 : chooser;
}

bool Compiler::find_chooser(const Node& node, int& chooser) const {
  const auto operands = fused_operands(node);
  if (operands.empty()) {
    const int found = chooser_of(node);
    if (found < 0) return is_plain(node);
    const int before = std::exchange(chooser, found);
    return before < 0 || before == found;
  }
  return std::all_of(operands.begin(), operands.end(),
                     [&](const Node* operand) { return find_chooser(*operand, chooser); });
}

std::optional<int> Compiler::fused_choice(const Node& node, int wanted) {
  if (tried_choice_ == &node || !watched_.empty()) return std::nullopt;
  const Restored calls(inline_calls_, true);
  const auto* argument = fused_argument(node);
  const auto& formula = argument ? *argument : node;
  int chooser = -1;
  if ((!argument && fused_operands(node).empty()) || axis_of(node) >= 0 ||
      count_fused(formula, kMostOperations) > kMostOperations || !find_chooser(formula, chooser) ||
      chooser < 0 || chooser > std::numeric_limits<std::uint16_t>::max())
    return std::nullopt;
  const int mark = next_;
  const int r = wanted >= 0 ? wanted : fresh();
  const Restored outer(leaves_, leaves_);
  auto region = std::make_shared<FusedRegion>();
  region->root = &node;
  region->condition = std::make_shared<FusedRegion>();
  region->condition->root = &node;
  region->condition->inputs.emplace_back().index = chooser;
  if (argument) add_reduction(node, *region);
  {
    const Restored choice(chooser_, chooser);
    add_fused(formula, argument == nullptr, *region);
  }
  const auto pass = emit(Op::fused, node, r, static_cast<int>(out_->fused.size()), 0, chooser);
  keep(std::move(region));
  const Restored tried(tried_choice_, &node);
  const Restored again(inline_calls_, false);
  const int made = value_unseen(node, r);
  if (made != r) emit(Op::move, node, r, made);
  out_->code[pass].c = here();
  next_ = wanted >= 0 ? mark : std::max(mark, r + 1);
  return r;
}

int Compiler::add_chosen(const Node& selection, FusedRegion& region) {
  if (chooser_ >= 0 && chooser_of(selection) == chooser_) return add_chosen_from(selection, region);
  const auto* condition = selected_by(selection);
  if (!condition) return -1;
  const auto text = [&](const Node& node) { return tree_->source->text(node.span); };
  if (!region.condition) {
    region.condition = std::make_shared<FusedRegion>();
    region.condition->root = condition;
    add_fused(*condition, true, *region.condition);
  } else if (text(*region.condition->root) != text(*condition)) {
    return -1;
  }
  return add_chosen_from(selection, region);
}

int Compiler::add_chosen_from(const Node& selection, FusedRegion& region) {
  const int step = add_fused(selection.base(), false, region);
  region.inputs.back().chosen = true;
  region.nodes.back() = &selection;
  return step;
}

int Compiler::add_fused(const Node& node, bool is_root, FusedRegion& region) {
  const bool is_watched = !is_root && std::any_of(watched_.begin(), watched_.end(),
                                                  [&](const auto& seen) { return seen.first == &node; });
  const auto operands = is_watched ? std::vector<const Node*>() : fused_operands(node);
  std::vector<int> from;
  for (const auto* operand : operands) from.push_back(add_fused(*operand, false, region));
  if (operands.empty()) {
    if (const int chosen = is_root || is_watched ? -1 : add_chosen(node, region); chosen >= 0) return chosen;
    region.nodes.push_back(&node);
    const auto number = constant_of(node);
    const int r = value(node);
    leaves_[&node] = r;
    auto& read = region.inputs.emplace_back();
    read.index = r;
    read.literal = is_whole_literal(node);
    read.last_use = is_temporary(r);
    if (!number && std::find(region.variables.begin(), region.variables.end(), r) == region.variables.end())
      region.variables.push_back(r);
    return region.fused.expression().add_input();
  }
  return add_operation(node, from, region);
}

int Compiler::add_operation(const Node& node, const std::vector<int>& from, FusedRegion& region) {
  region.nodes.push_back(&node);
  auto& expression = region.fused.expression();
  switch (node.kind) {
    case NodeKind::unary:
      return expression.add(node.op == Token::minus ? Unary::negate : Unary::logical_not, from[0]);
    case NodeKind::call: {
      const auto* row = called_builtin(node, registry_);
      if (!row) {
        region.calls.push_back({expression.inputs, *read_of(node.callee()), from});
        region.inputs.emplace_back();
        return expression.add_input();
      }
      if (const auto type = conversion_of(*row)) return expression.add_conversion(*type, from[0]);
      if (row->unary) return expression.add(*row->unary, from[0]);
      if (row->binary) return expression.add(*row->binary, from[0], from[1]);
      return expression.add_pick(from[0], from[1], from[2]);
    }
    default: break;
  }
  const auto op = is_logic(node)
                      ? (node.op == Token::kw_and ? Binary::logical_and : Binary::logical_or)
                      : binary_of(op_of(node.kind == NodeKind::comparison ? node.ops[0] : node.op));
  return expression.add(op, from[0], from[1]);
}

// Also executed for single numbers, so the check for arrays must cost almost nothing.
std::size_t Compiler::emit_fused(const Node& node, int r, const FusedRegion& region) {
  const auto& variables = region.variables;
  const auto number = static_cast<int>(out_->fused.size());
  constexpr std::size_t most = 4;
  if (variables.empty() || variables.size() > most ||
      variables[0] > std::numeric_limits<std::uint16_t>::max())
    return emit(Op::fused, node, r, number, 0, 0, 2);
  const auto pass = emit(Op::fused, node, r, number, 0, variables[0], variables.size() > 1 ? 1 : 0);
  const auto at = [&](std::size_t k) { return variables[std::min(k, variables.size() - 1)]; };
  if (variables.size() > 1) emit(Op::fused_more, node, at(1), at(2), at(3));
  return pass;
}

void Compiler::keep(std::shared_ptr<FusedRegion> region) {
  if (options_.regions) options_.regions->push_back({tree_, region});
  out_->fused.push_back(std::move(region));
}

bool Compiler::does_nothing(const Node& node) const {
  switch (node.kind) {
    case NodeKind::last:
    case NodeKind::rest:
    case NodeKind::new_axis: return true;
    case NodeKind::name: return read_of(node).has_value();
    case NodeKind::range:
    case NodeKind::unary:
    case NodeKind::binary:
      return std::all_of(node.kids.begin(), node.kids.end(),
                         [&](const auto& kid) { return !kid || does_nothing(*kid); });
    default: return constant_of(node).has_value();
  }
}

// Region assigned to a part of an array; null if the value is not fused.
std::shared_ptr<FusedRegion> Compiler::assigned_region(const Node& statement) {
  const auto& source = statement.assigned_value();
  const bool updates = statement.op != Token::assign;
  if (source.kind == NodeKind::comprehension)
    return updates ? nullptr : items_region(source, sources_of(source));
  const int count = count_fused(source, kMostOperations);
  if (fused_operands(source).empty() || count > kMostOperations) return nullptr;
  auto region = std::make_shared<FusedRegion>();
  region->root = updates ? &statement : &source;
  const int value_step = add_fused(source, true, *region);
  if (!updates) return region;
  auto& expression = region->fused.expression();
  const int old = expression.add_input();
  expression.add(binary_of(op_of(statement.op)), old, value_step);
  region->nodes.insert(region->nodes.end(), {&statement.target(0), &statement});
  region->updates = true;
  return region;
}

bool Compiler::fused_assignment(const Node& statement) {
  const bool updates = statement.op != Token::assign;
  const auto& target = statement.target(0);
  const auto& source = statement.assigned_value();
  if (target.base().kind != NodeKind::name) return false;
  const int variable = register_of(target.base().binding);
  if (variable < 0 || shared_.contains(variable)) return false;
  const int mark = next_;
  const int r = fresh();
  const Restored outer(leaves_, {});
  const Restored calls(inline_calls_, true);
  bool called = false;
  // Calls and unfused items are evaluated before the subscripts of the target.
  const bool fits = reads_fit(source, called);
  bool is_still = true;
  for (std::size_t k = 0; k < target.subscript_count(); ++k) is_still &= does_nothing(target.subscript(k));
  if (!fits || !is_still) inline_calls_ = false;
  if (source.kind == NodeKind::comprehension && !is_still) return false;
  auto region = assigned_region(statement);
  if (!region && leaves_.empty()) {
    next_ = mark;
    return false;
  }
  const int base = changed_name(target.base());
  const int first = subscripts(target, base), subscript_count = static_cast<int>(target.subscript_count());
  std::optional<std::size_t> pass;
  if (region) {
    region->first_subscript = first;
    pass = emit(Op::fused_set, target, base, static_cast<int>(out_->fused.size()), 0, subscript_count);
    keep(std::move(region));
  }
  const Restored inside(one_by_one_, true);
  const int made = value_unseen(source, r);
  if (updates)
    emit(Op::update_index, statement, base, first, made, subscript_count,
         static_cast<int>(op_of(statement.op)));
  else
    emit(Op::set_index, target, base, first, made, subscript_count);
  if (pass) out_->code[*pass].c = here();
  next_ = mark;
  return true;
}

void Compiler::add_reduction(const Node& node, FusedRegion& region) const {
  const auto& row = registry_.row(node.callee().binding.index);
  region.fused.expression().reduction = row.reduction;
  region.fused.expression().divides = row.divides_by_count;
  region.over = axis_of(node);
}

int Compiler::fused(const Node& node, int wanted, bool inlines) {
  const Restored calls(inline_calls_, inlines);
  const int mark = next_;
  const int r = wanted >= 0 ? wanted : fresh();
  // An argument may be an independent expression inside a larger one.
  const Restored outer(leaves_, leaves_);
  auto region = std::make_shared<FusedRegion>();
  region->root = &node;
  const auto* argument = fused_argument(node);
  if (argument) {
    add_reduction(node, *region);
    if (const auto* condition = selected_by(*argument)) {
      region->fused.expression().selected = 0;
      add_fused(argument->base(), false, *region);
      argument = condition;
    }
  }
  add_fused(argument ? *argument : node, true, *region);
  region->is_simple = region->calls.empty() && !region->condition && !region->fused.expression().reduction;
  const auto pass = emit_fused(node, r, *region);
  keep(std::move(region));
  const Restored inside(one_by_one_, true);
  const int made = value_unseen(node, r);
  if (made != r) emit(Op::move, node, r, made);
  out_->code[pass].c = here();
  next_ = wanted >= 0 ? mark : std::max(mark, r + 1);
  return r;
}

}  // namespace quill
