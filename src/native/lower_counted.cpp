// Loops over integers. Subscripts that are the loop's variable plus a number need no check where the ends of
// the loop prove that they are in range: the end of the loop and the proofs are one bound.
#include "compiler/operands.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

// Whether each path from the head of a loop to its last instruction goes through a block.
bool is_on_each_way(const Flow& flow, const Loop& loop, int block) {
  const int last = flow.block_of[loop.end - 1];
  std::set<int> seen;
  std::vector<int> open{flow.block_of[loop.head]};
  while (!open.empty()) {
    const int b = open.back();
    open.pop_back();
    if (b == block || !seen.insert(b).second) continue;
    if (b == last) return false;
    for (const int next : flow.blocks[static_cast<std::size_t>(b)].successors)
      if (flow.blocks[static_cast<std::size_t>(next)].begin >= loop.head &&
          flow.blocks[static_cast<std::size_t>(next)].begin < loop.end)
        open.push_back(next);
  }
  return true;
}

}  // namespace

// The loop of the running function with this state register.
const Loop* Lowering::loop_of_counter(int counter) const {
  for (const auto& loop : flow().loops) {
    const auto& last = f().code[loop.end - 1];
    if (last.op == Op::loop_next && absolute(last.a) == counter) return &loop;
  }
  return nullptr;
}

// Whether the running instruction is executed in each iteration of a loop, if inner loops have iterations.
bool Lowering::is_in_each_iteration(const Loop& loop) const {
  auto at = at_;
  while (true) {
    // The innermost loop around.
    const Loop* inner = nullptr;
    for (const auto& each : flow().loops)
      if (at >= each.head && at < each.end && (!inner || each.end - each.head < inner->end - inner->head))
        inner = &each;
    if (inner == nullptr || inner->head < loop.head || !is_on_each_way(flow(), *inner, flow().block_of[at]))
      return false;
    if (inner == &loop) return true;
    at = inner->head - 1;
  }
}

// Whether the extents of an array stay the same in a loop.
bool Lowering::is_steady(int base, const Loop& loop) const {
  const int r = base - scope_->offset;
  if (r < 0 || r >= f().frame_size) return true;  // a caller's register, or an array parameter
  for (auto at = loop.head; at < loop.end; ++at) {
    const auto op = f().code[at].op;
    if (op == Op::set_index || op == Op::update_index || op == Op::fused_set) continue;
    bool is_written = false;
    visit_operands(f(), at, [&](int each, Access access) {
      if (each == r && access != Access::read) is_written = true;
    });
    if (is_written) return false;
  }
  return true;
}

// Whether a subscript is known to be in range. When types are found, it is noted that it should be.
bool Lowering::is_within(int base, int axis, const Operand& subscript) {
  if (subscript.counter < 0 || body_) return false;
  const Wish wish{absolute(base), axis, subscript.shift};
  if (writes_) {
    const auto found = counted_.find(subscript.counter);
    return found != counted_.end() && found->second.proven.contains(wish) &&
           loop_of_counter(subscript.counter) != nullptr;
  }
  const auto* const loop = loop_of_counter(subscript.counter);
  if (loop && at_ >= loop->head && at_ < loop->end && is_in_each_iteration(*loop) &&
      is_steady(wish.base, *loop))
    counted_[subscript.counter].wishes.insert(wish);
  return false;
}

// Selects subscripts that loops can prove: those of arrays whose extents are known at the loop's head.
void Lowering::prove(const Scope& scope) {
  for (const auto& loop : scope.flow->loops) {
    const auto& last = scope.f->code[loop.end - 1];
    const auto state = scope.states.find(scope.flow->block_of[loop.head]);
    const auto found = counted_.find(scope.offset + last.a);
    if (last.op != Op::loop_next || state == scope.states.end() || found == counted_.end()) continue;
    found->second.proven.clear();
    found->second.bound = -1;
    const auto& types = state->second;
    if (!types[static_cast<std::size_t>(found->first)].counts) continue;
    for (const auto& wish : found->second.wishes) {
      const auto& type = types[static_cast<std::size_t>(wish.base)];
      if ((type.form == Form::memory || type.form == Form::slice) && type.axes > wish.axis)
        found->second.proven.insert(wish);
    }
  }
}

void Lowering::forget_counter(int counter) {
  for (auto& type : state_)
    if (type.counter == counter) {
      type.counter = -1;
      type.shift = 0;
    }
}

void Lowering::forget_counters_of_loops_left(std::size_t to) {
  for (const auto& loop : flow().loops)
    if (at_ >= loop.head && at_ < loop.end && (to < loop.head || to >= loop.end) &&
        f().code[loop.end - 1].op == Op::loop_next)
      forget_counter(absolute(f().code[loop.end - 1].a));
}

// The last value of the loop's variable for which the proofs hold; one before `now` if they do not hold
// there.
int Lowering::find_limit(const Counted& loop, int now) {
  int limit = whole_constant(kMostWhole);
  std::int64_t least = loop.proven.begin()->shift;
  for (const auto& wish : loop.proven) {
    least = std::min(least, wish.shift);
    const int extent = variables_[static_cast<std::size_t>(wish.base)].extents[wish.axis];
    const int most = binary(Do::subtract, VariableType::whole, extent, whole_constant(wish.shift));
    const int smaller = make(VariableType::whole);
    emit({.what = Do::select, .dst = smaller, .x = compare(Do::less, most, limit), .y = most, .z = limit});
    limit = smaller;
  }
  const int one = whole_constant(1);
  const int is_low = compare(Do::less, binary(Do::add, VariableType::whole, now, whole_constant(least)), one);
  const int out = make(VariableType::whole);
  emit({.what = Do::select,
        .dst = out,
        .x = is_low,
        .y = binary(Do::subtract, VariableType::whole, now, one),
        .z = limit});
  return out;
}

// The last value of the loop's variable for which the loop goes on and the proofs hold.
void Lowering::set_bound(const Counted& loop, int now, int last) {
  int bound = last;
  if (!loop.proven.empty()) {
    const int limit = find_limit(loop, now);
    bound = make(VariableType::whole);
    emit({.what = Do::select, .dst = bound, .x = compare(Do::less, limit, last), .y = limit, .z = last});
  }
  emit({.what = Do::copy, .dst = loop.bound, .x = bound});
}

bool Lowering::step_counted(const Instruction& i, bool is_again, std::size_t more, std::size_t over) {
  const auto bound = [&](int r) -> std::optional<int> {
    const auto x = operand(r);
    if (!x || !(x->form == Form::whole || x->form == Form::number)) return std::nullopt;
    return whole_of(*x);
  };
  const auto k = bound(i.a + 1), last = bound(i.a + 2);
  if (!k || !last) {
    hand_over();
    return true;
  }
  forget_counter(absolute(i.a));
  auto& loop = counted_[absolute(i.a)];
  if (loop.bound < 0) loop.bound = make(VariableType::whole);
  const int now = unary(Do::copy, VariableType::whole, *k);
  if (is_again) poll();
  if (!is_again) loop.is_begun = true;
  // If the machine began the loop, the bound is not set.
  if (!is_again || !loop.is_begun) set_bound(loop, now, *last);
  const int has_value = label(), end = label();
  if (loop.proven.empty()) {
    branch(compare(Do::less_equal, now, loop.bound), has_value, end, 1);
  } else {
    const int over_bound = label(), stuck = label();
    branch(compare(Do::less_equal, now, loop.bound), has_value, over_bound, 1);
    place_label(over_bound);
    branch(compare(Do::less_equal, now, *last), stuck, end);
    // The machine executes iterations in which a subscript is out of range.
    place_label(stuck);
    leave_safely(Reason::attention);
  }
  const State before = state_;
  place_label(has_value);
  define(i.a + 1, {.form = Form::whole,
                   .variable = binary(Do::add, VariableType::whole, now, whole_constant(1)),
                   .low = -kMostRead - 1,
                   .high = kMostRead + 1});
  define(i.b, {.form = Form::whole,
               .variable = now,
               .low = -kMostRead - 1,
               .high = kMostRead,
               .counter = absolute(i.a)});
  go(more);
  state_ = before;
  place_label(end);
  go(over);
  return true;
}

// At the head of a counted loop its variable is one less than the next value: written as such, there is one
// counter, whichever way the head was reached.
void Lowering::derive_counter(std::size_t head, const State& state) {
  const int number = flow().loop_at(head);
  if (number < 0) return;
  const auto& last = f().code[flow().loops[static_cast<std::size_t>(number)].end - 1];
  const auto type = [&](int r) -> const Type& { return state[static_cast<std::size_t>(absolute(r))]; };
  if (last.op != Op::loop_next || static_cast<std::size_t>(last.c) != head || !type(last.a).counts ||
      type(last.a + 1).form != Form::whole || type(last.b).form != Form::whole)
    return;
  emit({.what = Do::subtract,
        .dst = whole_variable(last.b),
        .x = whole_variable(last.a + 1),
        .y = whole_constant(1)});
}

// Checks the proofs of the loops around the head at which native code is entered. False if the extents of an
// array are not known there.
bool Lowering::enter_counted(std::size_t head, const State& state) {
  for (const auto& loop : flow().loops) {
    const auto& last = f().code[loop.end - 1];
    const auto found = counted_.find(last.a);
    if (head < loop.head || head >= loop.end || last.op != Op::loop_next || found == counted_.end() ||
        found->second.bound < 0)
      continue;
    auto& counted = found->second;
    for (const auto& wish : counted.proven)
      if (state[static_cast<std::size_t>(wish.base)].axes <= wish.axis ||
          state[static_cast<std::size_t>(wish.base)].form != Form::memory)
        return false;
    const auto held = [&](int r) {
      const auto form = state[static_cast<std::size_t>(r)].form;
      if (form == Form::number) return unary(Do::to_whole, VariableType::whole, number_variable(r));
      return form == Form::whole ? whole_variable(r) : -1;
    };
    const int after = held(last.a + 1), end = held(last.a + 2);
    if (after < 0 || end < 0) return false;
    const int now = binary(Do::subtract, VariableType::whole, after, whole_constant(1));
    set_bound(counted, now, end);
    if (counted.proven.empty()) continue;
    const int fine = label(), stuck = label();
    branch(compare(Do::less_equal, now, counted.bound), fine, stuck, 1);
    place_label(stuck);
    // Nothing has changed in the frame.
    exits_.push_back({label(), head, State(static_cast<std::size_t>(f_size_))});
    emit({.what = Do::constant, .dst = exit_code_, .immediate = packed(head, Reason::attention, head)});
    jump(exits_.back().label);
    place_label(fine);
  }
  return true;
}

}  // namespace quill::native
