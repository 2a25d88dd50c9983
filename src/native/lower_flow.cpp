// Jumps, loops, fused regions, and instructions left to the machine.
#include "compiler/fused_region.h"
#include "compiler/operands.h"
#include "native/lowering.h"

namespace quill::native {

// Leaves the code if an interrupt, a memory check or a report of progress is requested.
void Lowering::poll() {
  const int asked = make(VariableType::boolean);
  emit({.what = Do::poll, .dst = asked});
  guard(unary(Do::logical_not, VariableType::boolean, asked), Reason::attention);
}

void Lowering::go(std::size_t to) {
  is_over_ = true;
  forget_counters_of_loops_left(to);
  if (to < scope_->begin || to >= scope_->end) {
    if (is_inlined()) {
      scope_->has_failed = true;
      return;
    }
    leave_saving(to, Reason::left);
    return;
  }
  const int block = flow().block_of[to];
  if (writes_) {
    convert_to(scope_->states.at(block));
    jump(scope_->labels.at(block));
    return;
  }
  State state = state_;
  forget_unused(state, to);
  const auto [found, is_new] = scope_->states.try_emplace(block, state);
  if (!is_new) {
    State both = merged_states(found->second, state);
    if (both == found->second) return;
    found->second = std::move(both);
  }
  scope_->open.push_back(block);
}

State Lowering::merged_states(const State& a, const State& b) {
  State out = a;
  for (std::size_t r = 0; r < a.size(); ++r) out[r] = merged(a[r], b[r]);
  // A view or slice that becomes a value shares its array, which then has no sole owner.
  for (std::size_t r = 0; r < a.size(); ++r) {
    if (out[r].form != Form::memory) continue;
    for (const auto* before : {&a, &b}) {
      const auto* type = &(*before)[r];
      while (type->form == Form::view || type->form == Form::slice) {
        out[static_cast<std::size_t>(type->root)].is_owned = false;
        type = &(*before)[static_cast<std::size_t>(type->root)];
      }
    }
  }
  return out;
}

void Lowering::go_either(int condition, std::size_t yes, std::size_t no, int likely) {
  const int first = label(), second = label();
  branch(condition, first, second, likely);
  const State before = state_;
  place_label(first);
  go(yes);
  state_ = before;
  place_label(second);
  go(no);
}

void Lowering::convert_to(const State& wanted) {
  for (int r = -scope_->offset; absolute(r) < static_cast<int>(wanted.size()); ++r) {
    const auto& want = wanted[static_cast<std::size_t>(absolute(r))];
    const auto& type = type_of(r);
    if (want.form == type.form || want.form == Form::nowhere || is_constant(r)) continue;
    if (want.form == Form::number && type.form == Form::whole)
      emit({.what = Do::to_number, .dst = number_variable(r), .x = whole_variable(r)});
    else if (want.form == Form::memory)
      spill(r);
  }
}

void Lowering::hand_over() {
  if (is_inlined()) {
    scope_->has_failed = is_over_ = true;
    return;
  }
  leave_saving(at_, Reason::left);
  is_over_ = true;
}

// Stores the result in its register of the frame, where the caller reads it.
void Lowering::return_to_machine(const Instruction& i) {
  if (const auto found = constants_.find(i.a); found != constants_.end())
    emit({.what = Do::store_register, .x = number_constant(found->second), .immediate = i.a});
  else
    spill(i.a);
  leave(at_, Reason::returned);
  is_over_ = true;
}

void Lowering::leave_to_machine(const Instruction& i) {
  if (is_inlined()) {
    scope_->has_failed = is_over_ = true;
    return;
  }
  if (writes_) out_.by_machine.push_back(at_);
  const bool all = runs_code(i.op);
  visit_operands(f(), at_, [&](int r, Access access) {
    if (access != Access::write) spill(r);
    if (access != Access::read) detach(r);
  });
  // Functions may read all names, and names keep their values after an error.
  if (is_top_) spill_all(at_);
  check_helped(help(helpers_.execute, static_cast<std::int64_t>(at_)));
  has_changed_ = true;
  visit_operands(f(), at_, [&](int r, Access access) {
    if (is_constant(r)) return;
    if (access == Access::read)
      type_of(r).is_owned = false;
    else
      define_memory(r);
  });
  if (is_top_ && all)
    for (auto& type : state_) type.is_owned = false;
}

bool Lowering::step_flow(const Instruction& i) {
  const auto on = at_ + 1, target = static_cast<std::size_t>(i.a);
  switch (i.op) {
    case Op::jump:
      if (target <= at_) { poll(); }
      go(target);
      return true;
    case Op::jump_false: {
      const auto x = condition(i.b);
      if (x)
        go_either(*x, on, target);
      else
        hand_over();
      return true;
    }
    case Op::jump_set:
      if (type_of(i.b).form != Form::memory)
        go(target);
      else
        go_either(compare(Do::not_equal, kind_of(i.b), whole_constant(static_cast<int>(Kind::unset))), target,
                  on);
      return true;
    case Op::jump_if_known_false:
    case Op::jump_if_known_true: {
      const bool wanted = i.op == Op::jump_if_known_true;
      const auto x = condition(i.b);
      if (!x) {
        // Only a single boolean decides. Of a value of unknown type the machine finds out.
        if (type_of(i.b).form == Form::memory && type_of(i.b).axes == 0)
          hand_over();
        else
          go(on);
        return true;
      }
      go_either(*x, wanted ? target : on, wanted ? on : target);
      return true;
    }
    case Op::return_value:
      if (is_inlined())
        return_statement(i);
      else if (is_whole_ && i.a >= 0)
        return_to_machine(i);
      else
        hand_over();
      return true;
    case Op::timed_begin:
    case Op::timed_end: hand_over(); return true;
    case Op::fused_more: return true;
    case Op::fused:
    case Op::fused_set: return step_fused(i);
    default: return false;
  }
}

bool Lowering::step_fused(const Instruction& i) {
  auto& region = *f().fused[static_cast<std::size_t>(i.b)];
  // The registers that the machine tests for arrays.
  std::vector<int> asked;
  if (i.op == Op::fused_set) {
    for (int k = 0; k < i.n; ++k) asked.push_back(region.first_subscript + k);
  } else if (i.flag == 2) {
    asked = region.variables;
  } else {
    asked.push_back(i.n);
    const auto& more = f().code[at_ + (i.flag == 1 ? 1 : 0)];
    if (i.flag == 1) asked.insert(asked.end(), {more.a, more.b, more.c});
  }
  // A region that was always refused so far is not worth another attempt.
  const bool is_refused = region.passes == 0 && region.refusals > 2;
  bool are_single = true;
  const bool is_known = is_for_machine(at_);
  for (const int r : asked) {
    if (is_constant(r)) continue;
    const auto form = type_of(r).form;
    if (form == Form::memory && (is_known || !operand(r))) are_single = false;
    if (form == Form::nowhere || form == Form::view || form == Form::slice || form == Form::span ||
        form == Form::all)
      are_single = false;
    if (i.op == Op::fused_set && type_of(r).form != Form::number && type_of(r).form != Form::whole)
      are_single = false;
  }
  if (are_single || is_refused || (i.op == Op::fused_set && is_of_variables(region))) {
    if (i.op == Op::fused && i.flag == 1) skipped_ = 1;
    go(at_ + 1 + static_cast<std::size_t>(skipped_));
    return true;
  }
  goes_to_ = static_cast<std::size_t>(i.c);
  const bool is_evaluated = !is_known && evaluate_region(i, region);
  goes_to_.reset();
  if (is_evaluated) {
    go(static_cast<std::size_t>(i.c));
    return true;
  }
  if (is_inlined()) {
    scope_->has_failed = is_over_ = true;
    return true;
  }
  visit_operands(f(), at_, [&](int r, Access access) {
    if (access != Access::write) spill(r);
    if (access != Access::read) detach(r);
  });
  if (is_top_) spill_all(at_);
  if (writes_) out_.by_machine.push_back(at_);
  const int result = help(helpers_.fused, static_cast<std::int64_t>(at_));
  check_helped(result);
  const auto on = at_ + (i.op == Op::fused && i.flag == 1 ? 2 : 1);
  for (auto& type : state_) type.is_owned = false;
  const int whole = label(), single = label();
  branch(compare(Do::equal, result, whole_constant(1)), whole, single, 1);
  place_label(single);
  const State before = state_;
  go(on);
  state_ = before;
  place_label(whole);
  visit_operands(f(), at_, [&](int r, Access access) {
    if (access != Access::read && !is_constant(r)) define_memory(r);
  });
  go(static_cast<std::size_t>(i.c));
  return true;
}

// A range that is iterated over directly: the iteration state is held in variables, no range is made.
bool Lowering::step_range(const Instruction& i) {
  if (i.c == 2) return false;
  if (at_ + 2 >= f().code.size() ||
      at_ + 1 >= flow().blocks[static_cast<std::size_t>(flow().block_of[at_])].end)
    return i.c == 0 && make_span(i);
  const auto& next = f().code[at_ + 1];
  if (next.op != Op::iterate || next.b != i.a) return i.c == 0 && make_span(i);
  const bool is_kept = flow().live[at_ + 2].contains(i.a) && !(i.a >= next.a && i.a < next.a + 4);
  if (is_kept) return false;
  // With fractions the count is computed differently.
  const auto from = integer_operand(i.b), to = integer_operand(i.b + 1);
  if (!from || !to) return false;
  const auto first = from->variable, last = to->variable;
  const auto within = [&](const Operand& x) {
    if (x.low < -kMostRead)
      guard(compare(Do::greater_equal, x.variable, whole_constant(-kMostRead)), Reason::value);
    if (x.high > kMostRead)
      guard(compare(Do::less_equal, x.variable, whole_constant(kMostRead)), Reason::value);
  };
  within(*from);
  within(*to);
  if (i.c == 1) return begin_steps(*from, *to, i.b + 2, next.a);
  const auto count_bound = std::int64_t{1} << 31;  // larger ones may be refused
  const int difference = binary(Do::subtract, VariableType::whole, last, first);
  if (to->high - from->low > count_bound)
    guard(compare(Do::less_equal, difference, whole_constant(count_bound)), Reason::value);
  // An empty range ends before it begins.
  const int before = binary(Do::subtract, VariableType::whole, first, whole_constant(1));
  const int end = make(VariableType::whole);
  emit({.what = Do::select, .dst = end, .x = compare(Do::less, last, before), .y = before, .z = last});
  const int kept_first = unary(Do::copy, VariableType::whole, first);
  const int state = next.a;
  release(state);
  if (!is_inlined()) emit({.what = Do::store_register, .q = kKindNone, .immediate = state});
  Type counts = memory_type();
  counts.counts = true;
  counts.may_hold = false;
  define_memory(state, counts);
  const auto value = [](int variable) {
    return Operand{.form = Form::whole, .variable = variable, .low = -kMostRead - 1, .high = kMostRead};
  };
  define(state + 1, value(kept_first));
  define(state + 2, value(end));
  define(state + 3, value(kept_first));
  skipped_ = 1;
  return true;
}

// The same with a step. The conditions are those of RangeObject::is_of_integers.
bool Lowering::begin_steps(const Operand& from, const Operand& to, int step, int state) {
  const auto constant = constants_.find(absolute(step));
  if (constant != constants_.end() && !is_whole(constant->second)) return false;
  const auto by = integer_operand(step);
  if (!by) return false;
  const auto number_of = [&](int whole) { return unary(Do::to_number, VariableType::number, whole); };
  const auto arithmetic = [&](Do what, int x, int y) { return binary(what, VariableType::number, x, y); };
  const auto at_most = [&](int x, double most) {
    guard(compare(Do::less_equal, x, number_constant(most)), Reason::value);
  };
  const auto size = [&](int x) { return unary(Do::absolute, VariableType::number, x); };
  const int first = number_of(from.variable), last = number_of(to.variable), width = number_of(by->variable);
  guard(compare(Do::not_equal, by->variable, whole_constant(0)), Reason::value);
  at_most(size(width), RangeObject::kLargestStep);
  const int steps = arithmetic(Do::divide, arithmetic(Do::subtract, last, first), width);
  at_most(steps, static_cast<double>(std::int64_t{1} << 31));  // larger ranges may be refused
  const int none = number_constant(-1);
  const int most = make(VariableType::number);
  emit({.what = Do::select, .dst = most, .x = compare(Do::less, steps, none), .y = none, .z = steps});
  const int count = arithmetic(Do::add, unary(Do::floor, VariableType::number, most), number_constant(1));
  at_most(arithmetic(Do::multiply, size(first), count), kLargestExact);
  at_most(arithmetic(Do::multiply, size(last), count), kLargestExact);
  const auto value = [](int variable, std::int64_t low, std::int64_t high) {
    return Operand{.form = Form::whole, .variable = variable, .low = low, .high = high};
  };
  const auto kept = [&](int variable) { return unary(Do::copy, VariableType::whole, variable); };
  const int kept_first = kept(from.variable), kept_step = kept(by->variable);
  define(state, value(kept_step, -kMostRead, kMostRead));
  define(state + 1, value(kept(whole_constant(0)), 0, kMostRead));
  define(state + 2, value(unary(Do::to_whole, VariableType::whole, count), 0, kMostRead));
  define(state + 3, value(kept_first, -kMostRead, kMostRead));
  skipped_ = 1;
  return true;
}

// The step of the iteration that starts or goes on here, as a variable: a constant if the loop names one.
std::optional<int> Lowering::step_of_iteration(const Instruction& i, std::size_t more) {
  if (more >= 3) {
    const auto &range = f().code[more - 3], &iterate = f().code[more - 2];
    if (range.op == Op::range && range.c == 1 && iterate.op == Op::iterate && iterate.b == range.a &&
        iterate.a == i.a && f().code[more - 1].op == Op::next)
      if (const auto constant = constants_.find(absolute(range.b + 2)); constant != constants_.end())
        return whole_constant(static_cast<std::int64_t>(constant->second));
  }
  const auto step = integer_operand(i.a);
  return step ? std::optional(step->variable) : std::nullopt;
}

// An iteration over integers with a step.
bool Lowering::step_by(const Instruction& i, std::size_t more, std::size_t over) {
  const auto form = type_of(i.a).form;
  const bool steps = form == Form::whole || form == Form::number ||
                     (form == Form::memory && type_of(i.a).axes == 0 && seen(i.a).is_number());
  if (!steps || is_for_machine(at_)) return false;
  const auto k = integer_operand(i.a + 1), count = integer_operand(i.a + 2), first = integer_operand(i.a + 3);
  const auto step = step_of_iteration(i, more);
  if (!k || !count || !first || !step) return false;
  const int now = unary(Do::copy, VariableType::whole, k->variable);
  const int has_value = label(), end = label();
  branch(compare(Do::less, now, count->variable), has_value, end, 1);
  const State before = state_;
  place_label(has_value);
  const int value = binary(Do::add, VariableType::whole, first->variable,
                           binary(Do::multiply, VariableType::whole, now, *step));
  define(i.a + 1, {.form = Form::whole,
                   .variable = binary(Do::add, VariableType::whole, now, whole_constant(1)),
                   .low = 0,
                   .high = kMostRead});
  define(i.b, {.form = Form::whole, .variable = value, .low = -kMostRead, .high = kMostRead});
  go(more);
  state_ = before;
  place_label(end);
  go(over);
  return true;
}

bool Lowering::step_next(const Instruction& i, bool is_again) {
  const auto more = is_again ? static_cast<std::size_t>(i.c) : at_ + 1;
  const auto over = is_again ? at_ + 1 : static_cast<std::size_t>(i.c);
  if (!is_again) prepare_bases(more);
  auto& first = type_of(i.a);
  if (first.form == Form::memory && !first.counts && seen(i.a).is(Kind::none) && !is_for_machine(at_)) {
    guard(compare(Do::equal, kind_of(i.a), whole_constant(kKindNone)), Reason::type);
    first.counts = true;
  }
  if (!first.counts) {
    if (is_again)
      poll();
    else if (const auto loop = counted_.find(absolute(i.a)); loop != counted_.end())
      loop->second.is_begun = false;
    if (step_by(i, more, over) || step_over_vector(i, more, over)) return true;
    const int has_value = label(), end = label();
    if (is_inlined()) {
      scope_->has_failed = is_over_ = true;
      return true;
    }
    for (int k = 0; k < 4; ++k) spill(i.a + k);
    if (is_top_) spill_all(at_);
    has_changed_ = true;
    if (writes_) out_.by_machine.push_back(at_);
    const int result = help(helpers_.advance, static_cast<std::int64_t>(at_));
    check_helped(result);
    for (int k = 0; k < 4; ++k) {
      const auto counts = type_of(i.a + k).counts;
      define_memory(i.a + k);
      type_of(i.a + k).counts = counts;
    }
    branch(compare(Do::equal, result, whole_constant(1)), has_value, end, 1);
    const State before = state_;
    place_label(has_value);
    define_memory(i.b);
    go(more);
    state_ = before;
    place_label(end);
    go(over);
    return true;
  }
  return step_counted(i, is_again, more, over);
}

// An iteration over the elements of a vector.
bool Lowering::step_over_vector(const Instruction& i, std::size_t more, std::size_t over) {
  if (is_inlined() || is_for_machine(at_) || constants_.contains(i.a) || !describe_base(i.a, 1)) return false;
  const auto k = operand(i.a + 1), count = operand(i.a + 2);
  const auto is_number = [](const auto& x) {
    return x && (x->form == Form::whole || x->form == Form::number);
  };
  if (!is_number(k) || !is_number(count)) return false;
  const int now = unary(Do::copy, VariableType::whole, whole_of(*k));
  const int has_value = label(), end = label();
  branch(compare(Do::less, now, whole_of(*count)), has_value, end, 1);
  const State before = state_;
  place_label(has_value);
  const int offset = binary(Do::multiply, VariableType::whole, now, variables(i.a).strides[0]);
  const auto element = load_element(i.a, offset);
  define(i.a + 1, {.form = Form::whole,
                   .variable = binary(Do::add, VariableType::whole, now, whole_constant(1)),
                   .low = -kMostRead,
                   .high = kMostRead + 1});
  define(i.b, element);
  go(more);
  state_ = before;
  place_label(end);
  go(over);
  return true;
}

bool Lowering::step_loop(const Instruction& i) {
  switch (i.op) {
    case Op::range: return step_range(i);
    case Op::next: return step_next(i, false);
    case Op::loop_next: return step_next(i, true);
    default: return false;
  }
}

}  // namespace quill::native
