// The blocks of a loop: their types, then their code.
#include "native/lower.h"

#include <fmt/format.h>

#include <algorithm>

#include "compiler/operands.h"
#include "native/lowering.h"

namespace quill::native {

namespace {

constexpr std::size_t kMostInstructions = 600;  // more would compile too long

}  // namespace

Lowering::Lowering(const Function& function, const Flow& flow, std::size_t head, const Value* frame,
                   const Registry& registry, const Experience& experience, const Helpers& helpers)
    : root_{.f = &function, .flow = &flow},
      f_size_(function.frame_size),
      frame_(frame),
      registry_(registry),
      experience_(experience),
      helpers_(helpers),
      is_top_(function.definition == nullptr),
      is_whole_(head == kWholeFunction),
      first_head_(is_whole_ ? 0 : head),
      mentioned_(static_cast<std::size_t>(function.frame_size)),
      variables_(static_cast<std::size_t>(function.frame_size)) {
  // The outermost loop around that is not too long.
  if (is_whole_) root_.end = function.code.size();
  for (int loop = is_whole_ ? -1 : flow.loop_at(head); loop >= 0;
       loop = flow.loops[static_cast<std::size_t>(loop)].parent) {
    const auto& l = flow.loops[static_cast<std::size_t>(loop)];
    if (root_.end != 0 && l.end - l.head > kMostInstructions) break;
    root_.begin = l.head;
    root_.end = l.end;
  }
  for (auto at = root_.begin; at < root_.end; ++at)
    visit_operands(f(), at, [&](int r, Access) { mentioned_[static_cast<std::size_t>(r)] = true; });
  for (const auto& [r, number] : f().constants) constants_[r] = number;
}

void Lowering::forget_unused(State& state, std::size_t at) const {
  const auto& live = flow().live[at];
  for (int r = 0; r < f().frame_size; ++r) {
    auto& type = state[static_cast<std::size_t>(absolute(r))];
    if (!live.contains(r) || (!is_inlined() && !mentioned_[static_cast<std::size_t>(r)]))
      type = {.may_hold = type.may_hold};
  }
}

// Short tuples and records, and short vectors that the loop assigns as a whole, are held in variables; other
// arrays stay in memory. Arrays whose elements it changes are owned: the machine makes them so before it
// enters.
State Lowering::entry_state(std::size_t head) {
  std::vector<bool> is_made(static_cast<std::size_t>(f_size_)), is_changed(static_cast<std::size_t>(f_size_));
  for (auto at = root_.begin; at < root_.end; ++at) {
    const auto op = f().code[at].op;
    if (op == Op::set_index || op == Op::update_index)
      is_changed[static_cast<std::size_t>(f().code[at].a)] = true;
    if (op == Op::set_index || op == Op::update_index || op == Op::fused_set) continue;
    visit_operands(f(), at, [&](int r, Access access) {
      if (access == Access::write) is_made[static_cast<std::size_t>(r)] = true;
    });
  }
  State state(static_cast<std::size_t>(f_size_));
  for (int r = 0; r < f_size_; ++r) {
    if (!mentioned_[static_cast<std::size_t>(r)] || !flow().live[head].contains(r)) continue;
    auto& type = state[static_cast<std::size_t>(r)];
    type = observed(seen(r));
    type.is_owned = type.axes > 0 && is_changed[static_cast<std::size_t>(r)];
    const bool is_new = is_made[static_cast<std::size_t>(r)];
    if (const auto items = observed_items(seen(r)); items && (is_new || items->form != Form::vector)) {
      type = *items;
      type.may_hold = true;
      type.is_stored = !is_new;
    }
    if (const auto closure = observed_closure(seen(r))) {
      keep_code(seen(r).object<FunctionObject>().function);
      type = *closure;
      type.is_stored = type.may_hold = true;
    }
  }
  return state;
}

void Lowering::make_safe_point() {
  safe_at_ = at_;
  safe_state_ = state_;
  safe_label_ = -1;
  has_changed_ = false;
  exit_labels_.clear();
}

void Lowering::run_block(std::size_t number) {
  const auto& block = flow().blocks[number];
  state_ = scope_->states.at(static_cast<int>(number));
  is_over_ = false;
  if (!is_inlined()) has_changed_ = true;
  for (at_ = block.begin; at_ < block.end && !is_over_; ++at_) {
    if (!is_inlined()) {
      cause_ = at_;
      exit_labels_.clear();
      if (has_changed_) make_safe_point();
    }
    skipped_ = 0;
    const auto& i = f().code[at_];
    if (!step(i)) leave_to_machine(i);
    at_ += static_cast<std::size_t>(skipped_);
  }
  if (is_over_) return;
  if (!is_inlined() && at_ < scope_->end) {
    cause_ = at_;
    make_safe_point();
    prepare_bases(at_);
  }
  go(at_);
}

// Finds the types of the open blocks again until no types change.
void Lowering::find_types(Scope& scope) {
  while (!scope.open.empty() && !scope.has_failed) {
    // The first block in order: the types of later ones depend on it.
    const int block = *std::min_element(scope.open.begin(), scope.open.end());
    scope.open.erase(std::remove(scope.open.begin(), scope.open.end(), block), scope.open.end());
    run_block(static_cast<std::size_t>(block));
  }
}

void Lowering::write_blocks(Scope& scope) {
  for (const auto& [block, state] : scope.states) scope.labels[block] = label();
  for (const auto& [block, state] : scope.states) {
    place_label(scope.labels.at(block));
    derive_counter(flow().blocks[static_cast<std::size_t>(block)].begin, state);
    run_block(static_cast<std::size_t>(block));
  }
}

void Lowering::write_entries() {
  std::set<std::size_t> heads;
  if (is_whole_) heads = {0};
  for (const auto& loop : flow().loops)
    if (!is_whole_ && loop.head >= root_.begin && loop.head < root_.end) heads.insert(loop.head);
  for (const auto head : heads) {
    const int block = flow().block_of[head];
    if (!root_.states.contains(block)) continue;
    const auto& state = root_.states.at(block);
    EntryPoint entry{head, {}, {}};
    const int l = label();
    place_label(l);
    out_.code.entries.push_back(l);
    load_fixed_values();
    for (int r = 0; r < f().frame_size; ++r) {
      const auto& type = state[static_cast<std::size_t>(r)];
      if (!mentioned_[static_cast<std::size_t>(r)] || is_constant(r)) continue;
      if (type.form == Form::nowhere) {
        entry.unused.push_back(r);
        continue;
      }
      entry.required.emplace_back(r, type);
      load_into(r, type);
    }
    if (!enter_counted(head, state)) entry.required.emplace_back(0, Type{.form = Form::all});  // never
    jump(root_.labels.at(block));
    out_.entries.push_back(std::move(entry));
  }
}

void Lowering::write_code() {
  writes_ = true;
  exit_code_ = make(VariableType::whole);
  prove(root_);
  write_blocks(root_);
  write_entries();
  is_leaving_ = true;
  write_exits();
  write_bodies();
}

Lowered Lowering::result() {
  const int first = flow().block_of[first_head_];
  root_.states.emplace(first, entry_state(first_head_));
  root_.open.push_back(first);
  find_types(root_);
  has_all_bodies_ = true;
  write_code();
  out_.begin = root_.begin;
  out_.end = root_.end;
  for (const auto& [block, state] : root_.states) {
    out_.types +=
        fmt::format("  block {}, from {}:", block, flow().blocks[static_cast<std::size_t>(block)].begin);
    for (int r = 0; r < f().frame_size; ++r)
      if (const auto& type = state[static_cast<std::size_t>(r)];
          type.form != Form::nowhere && !is_constant(r))
        out_.types += fmt::format(" r{} {};", r, describe(type));
    out_.types += '\n';
  }
  return std::move(out_);
}

Lowered lower(const Function& function, const Flow& flow, std::size_t head, const Value* frame,
              const Registry& registry, const Experience& experience, const Helpers& helpers) {
  return Lowering(function, flow, head, frame, registry, experience, helpers).result();
}

bool fits(const Type& type, const Value& value) {
  switch (type.form) {
    case Form::nowhere: return true;
    case Form::number: return value.is_number();
    case Form::whole:
      return value.is_number() && is_whole_number(value.number()) &&
             value.number() >= static_cast<double>(type.low) &&
             value.number() <= static_cast<double>(type.high);
    case Form::boolean: return value.is(Kind::boolean);
    case Form::single: {
      const auto seen = observed(value);
      return seen.form == Form::single && seen.element == type.element;
    }
    case Form::real32:
    case Form::complex: return observed(value).form == type.form;
    case Form::vector:
    case Form::record:
    case Form::tuple: {
      const auto items = observed_items(value);
      return items && items->form == type.form && items->count == type.count && items->parts == type.parts &&
             items->names == type.names;
    }
    case Form::function:
      return value.is(Kind::function) && is_same_function(value.object<FunctionObject>(), *type.function);
    case Form::closure: {
      const auto closure = observed_closure(value);
      return closure && closure->code == type.code && closure->count == type.count;
    }
    case Form::view:
    case Form::slice:
    case Form::span:
    case Form::all: return false;
    case Form::memory: {
      if (type.function)
        return value.is(Kind::function) && is_same_function(value.object<FunctionObject>(), *type.function);
      if (type.counts) return value.is(Kind::none);
      if (type.axes == 0) return true;
      const auto seen = observed(value);
      return seen.form == Form::memory && seen.axes == type.axes && seen.element == type.element &&
             seen.has_label == type.has_label && (seen.has_unit_step || !type.has_unit_step);
    }
  }
  return false;
}

}  // namespace quill::native
