#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "compiler/compiler_state.h"

namespace quill {

void Compiler::card(const Node& node, int place) {
  if (!options_.interactive || !top_level_) return;
  if (loops_.empty()) {
    emit_card(node, place);
    return;
  }
  for (const auto& [other, r] : cards_of_loop_)
    if (r == place) return;
  cards_of_loop_.emplace_back(&node, place);
}

void Compiler::emit_card(const Node& node, int place) {
  emit(Op::card, node, place, literal(Value::text(name_defined_by(node))));
}

void Compiler::cards_after_loop() {
  if (!loops_.empty()) return;
  for (const auto& [node, place] : cards_of_loop_) emit_card(*node, place);
  cards_of_loop_.clear();
}

void Compiler::block_up_to(const Node& node, std::size_t count) {
  for (std::size_t i = 0; i < count; ++i) {
    const int mark = next_;
    guarded([&] { statement(node.kid(i)); });
    next_ = mark;
  }
}

void Compiler::uncertain_block(const Node& node) {
  const auto before = assigned_;
  block(node);
  assigned_ = before;
}

void Compiler::statement(const Node& node) {
  switch (node.kind) {
    case NodeKind::assign: return assign(node);
    case NodeKind::expression: return bare(node);
    case NodeKind::define: return define(node);
    case NodeKind::block: return block(node);
    case NodeKind::branch: return branch(node);
    case NodeKind::loop_for: return loop_for(node);
    case NodeKind::loop_while: return loop_while(node);
    case NodeKind::end_frame: emit(Op::close_frame, node, value(node.kid(0))); return;
    case NodeKind::break_statement:
    case NodeKind::continue_statement: return leave(node);
    case NodeKind::return_statement: return return_statement(node);
    case NodeKind::section: emit(Op::section, node, 0, literal(Value::text(node.text))); return;
    case NodeKind::given: return given(node);
    case NodeKind::figure:
    case NodeKind::panel:
    case NodeKind::extend: return drawing(node);
    case NodeKind::expect: return expect(node);
    case NodeKind::use: return use(node);
    case NodeKind::timed: return timed(node);
    default: fail_node(node, "this is not a statement");
  }
}

void Compiler::assign(const Node& node) {
  const auto& source = node.assigned_value();
  const auto targets = node.target_count();
  if (node.op == Token::assign) find_taken(node);
  assigned_call_ = source.kind == NodeKind::call ? &source : nullptr;
  if (targets > 1) return unpack(node);
  const auto& target = node.target(0);
  const bool plain = node.op == Token::assign;
  if (target.kind == NodeKind::discard) {
    if (!plain) fail_node(target, "`_` has no value");
    value(source);
    return;
  }
  if (target.kind == NodeKind::index) {
    // Evaluates the right side first; a name's own register is not copied.
    if (!fused_assignment(node)) set_elements(target, value(source), plain ? Op::move : op_of(node.op), node);
    const Node* base = &target;
    while (base->kind == NodeKind::index) base = &base->base();
    card(*base, register_of(base->binding));
    return;
  }
  if (plain) {
    const int place = register_of(target.binding);
    if (place < 0) fail_node(target, fmt::format("`{}` cannot be assigned here", target.text));
    if (source.kind == NodeKind::alias)
      assign_alias(node);
    else if (shared_.contains(place))
      store_name(target, place, value(source));
    else
      value_into(source, place);
    assigned_.insert(place);
  } else {
    const int place = changed_name(target);
    const int r = value(source);
    if (shared_.contains(place)) {
      const int changed = fresh();
      emit(Op::read_shared, target, changed, place);
      emit(op_of(node.op), node, changed, changed, r, 0, is_whole_literal(source) ? kRightLiteral : 0);
      // For an alias, modifies its elements like w[..].
      emit(Op::write_shared, target, place, changed, 0, 0, 1);
    } else {
      emit(op_of(node.op), node, place, place, r, 0, is_whole_literal(source) ? kRightLiteral : 0);
    }
  }
  card(target, register_of(target.binding));
}

void Compiler::find_taken(const Node& assignment) {
  const auto& source = assignment.assigned_value();
  if (source.kind != NodeKind::call || source.callee().kind != NodeKind::name) return;
  const auto& callee = source.callee().binding;
  const bool is_builtin = callee.kind == Binding::Kind::builtin;
  // At the prompt an error must not lose a variable, and functions of earlier texts may read it; otherwise a
  // built-in may take its argument and return it modified.
  const auto source_effects = effects_of(source);
  if (is_builtin ? !registry_.row(callee.index).changes_first
                 : top_level_ && (options_.interactive || is_later_text_))
    return;
  for (std::size_t t = 0; t < assignment.target_count(); ++t) {
    const auto& target = assignment.target(t);
    if (target.kind != NodeKind::name || shared_.contains(register_of(target.binding))) continue;
    if (mentions(source_effects, target) != 1) continue;
    if (!is_builtin && top_level_ && is_read_by_functions(effects_of(*tree_->root), target.binding)) continue;
    const auto last =
        is_builtin ? std::min<std::size_t>(1, source.argument_count()) : source.argument_count();
    for (std::size_t k = 0; k < last; ++k) {
      const auto& argument = source.argument(k);
      const auto& given = argument.argument_value();
      if (given.kind == NodeKind::name && given.text == target.text)
        if (!is_builtin || argument.text.empty()) taken_.insert(&given);
    }
  }
}

void Compiler::store_name(const Node& target, int place, int r) {
  emit(shared_.contains(place) ? Op::write_shared : Op::move, target, place, r);
}

// name = alias owner[…]
void Compiler::assign_alias(const Node& node) {
  const auto& alias = node.assigned_value();
  const auto& place = alias.aliased_target();
  const auto& owner = place.kind == NodeKind::index ? place.base() : place;
  if (owner.kind != NodeKind::name)
    fail_node(alias, "only a variable or a part of it can be aliased", "w = alias a[1..2, ..]");
  const int owner_place = changed_name(owner);
  const bool whole = place.kind != NodeKind::index;
  const int seen = fresh();
  // The name is in the register before the subscripts.
  const int name = load(owner, Value::text(owner.text), fresh());
  int count = 0;
  if (!whole) {
    emit(Op::read_shared, owner, seen, owner_place);
    subscripts(place, seen);
    count = static_cast<int>(place.subscript_count());
  }
  emit(Op::make_alias, alias, register_of(node.target(0).binding), owner_place, name + 1, count,
       whole ? 1 : 0);
}

void Compiler::unpack(const Node& node) {
  const auto targets = node.target_count();
  const int source = value(node.assigned_value());
  const int first = fresh(static_cast<int>(targets));
  emit(Op::unpack, node, first, source, 0, static_cast<int>(targets));
  for (std::size_t i = 0; i < targets; ++i) {
    const auto& target = node.target(i);
    const int r = first + static_cast<int>(i);
    if (target.kind == NodeKind::discard) continue;
    if (target.kind == NodeKind::index) {
      set_elements(target, r, Op::move, node);
      continue;
    }
    const int place = register_of(target.binding);
    store_name(target, place, r);
    assigned_.insert(place);
    card(target, place);
  }
}

void Compiler::warn_if_discarded(const Node& node) {
  if (node.kind != NodeKind::call || node.argument_count() == 0 ||
      node.callee().binding.kind != Binding::Kind::builtin)
    return;
  const auto& row = registry_.row(node.callee().binding.index);
  const auto& first = node.argument(0).argument_value();
  if (!row.changes_first || first.kind != NodeKind::name || (options_.interactive && top_level_)) return;
  Error warning(
      fmt::format("{} returns a new array, which is discarded here; `{}` is unchanged", row.name, first.text),
      fmt::format("{0} = {1}({0}, …)", first.text, row.name));
  warning.location = {tree_->source, node.span};
  tree_->warnings.push_back(std::move(warning));
}

void Compiler::bare(const Node& node) {
  const auto& shown = node.shown_value();
  warn_if_discarded(shown);
  const int variable = top_level_ ? aliased_register(shown) : -1;
  const int r = variable >= 0 ? variable : value(shown);
  if (top_level_) emit(Op::show, shown, r, 0, 0, 0, shown.kind == NodeKind::call ? 1 : 0);
}

void Compiler::define(const Node& node) {
  const int place = register_of(node.binding);
  closure(node.defined_function(), place);
  assigned_.insert(place);
  card(node.defined_function(), place);
}

void Compiler::branch(const Node& node) {
  const int mark = next_;
  const auto no = emit(Op::jump_false, node.condition(), 0, value(node.condition()));
  next_ = mark;
  const auto before = assigned_;
  block(node.then_part());
  auto after_yes = assigned_;
  assigned_ = before;
  const auto* otherwise = node.else_part();
  if (!otherwise) {
    land(no);
    return;
  }
  const auto end = emit(Op::jump, node);
  land(no);
  if (otherwise->kind == NodeKind::branch)
    statement(*otherwise);
  else
    block(*otherwise);
  land(end);
  std::set<int> both;
  std::set_intersection(after_yes.begin(), after_yes.end(), assigned_.begin(), assigned_.end(),
                        std::inserter(both, both.begin()));
  assigned_ = std::move(both);
}

void Compiler::loop_for(const Node& node) {
  const auto targets = node.loop_target_count();
  keep_values(node);
  const int source = value(node.loop_source());
  const int state = fresh(4);
  emit(Op::iterate, node.loop_source(), state, source);
  const auto place = [&](std::size_t i) {
    return node.target(i).kind == NodeKind::discard ? -1 : register_of(node.target(i).binding);
  };
  const int single = targets == 1 && place(0) >= 0 ? place(0) : fresh();
  const int parts = targets > 1 ? fresh(static_cast<int>(targets)) : 0;
  const auto next = emit(Op::next, node, state, single);
  const int body = here();
  const auto before = assigned_;
  if (targets > 1) {
    emit(Op::unpack, node, parts, single, 0, static_cast<int>(targets));
    for (std::size_t i = 0; i < targets; ++i)
      if (place(i) >= 0) emit(Op::move, node, place(i), parts + static_cast<int>(i));
  }
  for (std::size_t i = 0; i < targets; ++i)
    if (place(i) >= 0) {
      assigned_.insert(place(i));
      loop_names_.insert(place(i));
    }
  loops_.push_back({{}, {}, blocks_.size()});
  block(node.body());
  for (const auto j : loops_.back().next) land(j);
  emit(Op::loop_next, node, state, single, body);
  out_->code[next].c = here();
  for (const auto j : loops_.back().leave) land(j);
  loops_.pop_back();
  release_values(node);
  assigned_ = before;
  cards_after_loop();
}

void Compiler::loop_while(const Node& node) {
  keep_values(node);
  const int top = here();
  const int mark = next_;
  const auto leave = emit(Op::jump_false, node.condition(), 0, value(node.condition()));
  next_ = mark;
  loops_.push_back({{}, {}, blocks_.size()});
  uncertain_block(node.body());
  for (const auto j : loops_.back().next) out_->code[j].a = top;
  emit(Op::jump, node, top);
  land(leave);
  for (const auto j : loops_.back().leave) land(j);
  loops_.pop_back();
  release_values(node);
  cards_after_loop();
}

void Compiler::close_blocks(std::size_t down_to) {
  for (auto i = blocks_.size(); i > down_to; --i) {
    const auto& [node, timing] = blocks_[i - 1];
    if (node->kind == NodeKind::timed)
      emit(Op::timed_end, *node, timing, 0, -1);
    else
      emit(Op::close_block, *node);
  }
}

void Compiler::leave(const Node& node) {
  if (loops_.empty()) fail_node(node, "this is only allowed in a loop");
  close_blocks(loops_.back().blocks);
  const auto jump = emit(Op::jump, node);
  (node.kind == NodeKind::break_statement ? loops_.back().leave : loops_.back().next).push_back(jump);
}

void Compiler::return_statement(const Node& node) {
  const int r = node.returned_value() ? value(*node.returned_value()) : -1;
  close_blocks(0);
  emit(Op::return_value, node, r);
}

void Compiler::given(const Node& node) {
  const int place = register_of(node.binding);
  const int r = value(*node.default_value());
  const int name = literal(Value::text(node.text));
  literal(Value::text(node.prose));
  emit(Op::given, node, place, r, name);
  assigned_.insert(place);
  card(node, place);
}

void Compiler::drawing(const Node& node) {
  const std::string word = node.kind == NodeKind::figure  ? "figure"
                           : node.kind == NodeKind::panel ? "panel"
                                                          : "extend";
  const int row = registry_.find(word);
  if (row < 0) fail_node(node, fmt::format("`{}` is not available", word));
  // The header of the block is a call of the built-in that opens it.
  const int mark = next_;
  const auto count = node.header_count();
  const auto argument = [&](std::size_t i) -> const Node& { return node.header(i).argument_value(); };
  check_builtin_call(node, registry_.row(row), 0);
  const int first = in_a_row(count, argument);
  next_ = mark;
  emit(Op::call_builtin, node, fresh(), first, call_form(node, 0, row), static_cast<int>(count));
  next_ = mark;
  blocks_.emplace_back(&node, 0);
  block(node.body());
  blocks_.pop_back();
  emit(Op::close_block, node);
}

void Compiler::timed(const Node& node) {
  const int state = fresh(3);
  if (node.label())
    value_into(*node.label(), state + 1);
  else
    load(node, Value::none(), state + 1);
  const Node* repeat = nullptr;
  for (std::size_t i = 1; i < node.header_count(); ++i) {
    const auto& argument = node.header(i);
    if (argument.text != "repeat" || repeat)
      fail_node(argument,
                argument.text.empty() ? std::string("arguments of `timed` must be named")
                : repeat              ? std::string("`repeat` is given twice")
                                      : fmt::format("`timed` has no argument `{}`", argument.text),
                "timed \"label\" (repeat: 20) { … }");
    repeat = &argument.argument_value();
  }
  if (repeat)
    value_into(*repeat, state + 2);
  else
    load(node, Value::none(), state + 2);
  std::set<int> places;
  for (const auto& use : effects_of(node.body()))
    if (use.is_change() && !use.in_function && !use.in_comprehension && register_of(use.binding) >= 0)
      places.insert(register_of(use.binding));
  std::vector<Value> names;
  for (const int place : places) names.emplace_back(static_cast<double>(place));
  emit(Op::timed_begin, node, state, 0, literal(Value::tuple(std::move(names))));
  const int body = here();
  blocks_.emplace_back(&node, state);
  block(node.body());
  blocks_.pop_back();
  emit(Op::timed_end, node, state, 0, body);
}

void Compiler::use(const Node& node) {
  const int place = register_of(node.binding);
  const int r = fresh();
  emit(Op::use, node, r, literal(Value::text(node.text)));
  emit(shared_.contains(place) ? Op::write_shared : Op::move, node, place, r);
  assigned_.insert(place);
  card(node, place);
}

void Compiler::watch(const Node& condition, Watched& watched) {
  const auto keep = [&](const Node& node) {
    if (node.kind != NodeKind::text && !constant_of(node)) watched.emplace_back(&node, -1);
  };
  switch (condition.kind) {
    case NodeKind::comparison:
      for (const auto& side : condition.kids) watched.emplace_back(side.get(), -1);
      return;
    case NodeKind::unary: watch(condition.operand(), watched); return;
    case NodeKind::binary:
      if (condition.op != Token::kw_and && condition.op != Token::kw_or) return;
      for (const auto& side : condition.kids) {
        watched.emplace_back(side.get(), -1);
        watch(*side, watched);
      }
      return;
    case NodeKind::call:
      for (std::size_t i = 0; i < condition.argument_count(); ++i) {
        const auto& argument = condition.argument(i).argument_value();
        const auto is_asked = argument.kind == NodeKind::comparison ||
                              (argument.kind == NodeKind::binary && !constant_of(argument));
        keep(argument);
        if (is_asked) watch(argument, watched);
      }
      return;
    default: return;
  }
}

void Compiler::expect(const Node& node) {
  const auto& condition = node.condition();
  const int first = fresh(2);
  Watched watched;
  watch(condition, watched);
  for (auto& [seen, place] : watched) {
    place = fresh();
    load(*seen, Value(), place);
  }
  watched_ = watched;
  value_into(condition, first);
  watched_.clear();
  // The message is evaluated only on failure.
  const auto fine = emit(Op::jump_if_known_true, node, 0, first);
  if (node.message()) value_into(*node.message(), first + 1);
  land(fine);
  out_->expectations.push_back(std::move(watched));
  emit(Op::expect, node, first, 0, static_cast<int>(out_->expectations.size()) - 1, 0,
       node.message() ? 1 : 0);
}

}  // namespace quill
