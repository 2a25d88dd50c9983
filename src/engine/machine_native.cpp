// Enters native code, and executes instructions that it cannot.
#include <exception>

#include "base/interrupt.h"
#include "base/restored.h"
#include "engine/explain.h"
#include "engine/native_run.h"
#include "engine/operations.h"

namespace quill {

namespace {

static_assert(sizeof(detail::stop_flags) == sizeof(int) && std::atomic<int>::is_always_lock_free);

constexpr int kDeepestNative = 60;  // nesting of native code and functions that it calls

}  // namespace

// Executes one instruction for native code, including calls.
void Machine::execute_one(std::size_t at, Value* r) {
  frames_.back().pc = at;
  const auto& f = *frames_.back().function;
  const Instruction& i = f.code[at];
  const auto* node = f.nodes[at];
  const auto depth = frames_.size();
  if (i.op == Op::call) {
    call_value(i, node, r);
    if (frames_.size() != depth) execute(depth);
    return;
  }
  const bool is_small =
      i.op >= Op::add && i.op <= Op::divide && operate_small(i.op, r[i.a], r[i.b], r[i.c], i.flag);
  if (!is_small) step_slow(i, node, r);
}

std::string Machine::explained_loops() const {
  if (hot_.lacks_maker())
    return "\nLoops\n  not compiled to machine code: the package eager-quill-native is not installed\n";
  return explained(hot_.functions());
}

native::Left Machine::run_loop(NativeLoop& loop, std::size_t entry, Value* r, NativeRun& run) {
  ++loop.entered;
  for (const int unused : loop.lowered.entries[entry].unused) r[unused].reset();
  run.registers = r;
  // A lock-free atomic<int> has the layout of an int.
  run.attention = reinterpret_cast<const int*>(&detail::stop_flags);
  run.machine = this;
  run.depth = static_cast<std::int64_t>(std::min(kDeepestBodies, kMostFrames - frames_.size()));
  run.base = r;
  run.codes = &loop.lowered.codes;
  if (!loop.lowered.kept.empty()) {
    run.kept = loop.lowered.kept;
    for (const auto& [place, type] : loop.lowered.entries[entry].required)
      if (type.function)
        for (auto& known : run.kept)
          if (known.identity() == type.function) known = r[place];
  }
  run.saved = run.few.data();
  if (loop.lowered.most_saved > static_cast<int>(run.few.size())) {
    run.many.resize(static_cast<std::size_t>(loop.lowered.most_saved));
    run.saved = run.many.data();
  }
  auto left = [&] {
    const Deeper one_more(native_depth_);
    return native::unpacked(loop.entry(&run, static_cast<std::int64_t>(entry)));
  }();
  if (left.reason == native::Reason::returned || left.reason == native::Reason::error) return left;
  try {
    for (const auto& saved : loop.lowered.exits[static_cast<std::size_t>(run.exit)].saved) {
      auto& target = r[saved.index];
      if (saved.type.form == native::Form::function)
        target = run.kept[static_cast<std::size_t>(saved.function)];
      else if (saved.type.form == native::Form::closure)
        target =
            closure_of(loop.lowered.codes[static_cast<std::size_t>(saved.function)], run.saved + saved.first);
      else
        store_saved(saved.type, run.saved + saved.first, target, r);
    }
  } catch (...) {
    run.error = std::current_exception();
    left.reason = native::Reason::error;
  }
  return left;
}

std::pair<NativeLoop*, std::size_t> Machine::native_for(const Function& f, HotFunction& hot, std::size_t head,
                                                        Value* r) {
  if (native_depth_ >= kDeepestNative) return {nullptr, 0};
  const auto found = hot_.loop_for(f, hot, head, r, registry_, native_helpers);
  if (found.first != nullptr) try {
      for (const auto& [place, type] : found.first->lowered.entries[found.second].required)
        if (type.is_owned) make_own(r[place]);
    } catch (...) {
      return {nullptr, 0};  // the machine reports it when the array is modified
    }
  return found;
}

void Machine::run_native(HotFunction& hot, const Instruction*& ip) {
  auto& frame = frames_.back();
  const auto& f = *frame.function;
  Value* const r = frame.base;
  const auto at = static_cast<std::size_t>(ip - f.code.data());
  const auto [loop, entry] = native_for(f, hot, at, r);
  if (loop == nullptr) return;
  NativeRun run;
  const auto left = run_loop(*loop, entry, r, run);
  ip = f.code.data() + left.at;
  using native::Reason;
  if (left.reason == Reason::error) std::rethrow_exception(run.error);
  if (left.reason != Reason::left && left.reason != Reason::attention) Hot::note(hot, *loop, left);
}

bool Machine::call_recursive(const Instruction& i, const Value& function, const Node* node, Value* r) {
  // Each call continued by the machine nests execute().
  if (recursive_depth_ >= kDeepestNative) return false;
  auto* const hot = hot_.called(*function.object<FunctionObject>().function);
  if (hot == nullptr || !hot->may_recurse) return false;
  const Deeper one_more(recursive_depth_);
  Value result = Value::none();
  if (!call_native(*hot, function, std::span(r + i.b + 1, static_cast<std::size_t>(i.n)), result, node,
                   (i.flag & 2) != 0))
    return false;
  r[i.a] = std::move(result);
  return true;
}

bool Machine::call_native(HotFunction& hot, const Value& function, std::span<const Value> arguments,
                          Value& result, const Node* node, bool needs_result) {
  const auto& object = function.object<FunctionObject>();
  const Function& f = *object.function;
  if (arguments.size() != f.parameters.size() || stack_top_ + f.frame_size > stack_end_ ||
      frames_.size() >= kMostFrames)
    return false;
  Value* const r = stack_top_;
  // Registers above the top of the stack are unset.
  for (std::size_t k = 0; k < arguments.size(); ++k) new (r + k) Value(arguments[k]);
  for (std::size_t k = 0; k < object.captured.size(); ++k)
    r[f.first_capture + static_cast<int>(k)] =
        f.captures[k].kind == Binding::Kind::sibling ? sibling_of(object.captured[k]) : object.captured[k];
  const auto [loop, entry] = native_for(f, hot, native::kWholeFunction, r);
  if (loop == nullptr) {
    for (int k = 0; k < f.frame_size; ++k) r[k].reset();
    return false;
  }
  stack_top_ += f.frame_size;
  const auto depth = frames_.size();
  // A frame is needed for instructions that the machine executes, and to resume in the machine.
  const auto push_frame = [&] {
    for (const auto& [place, number] : f.constants) r[place].set_number(number);
    Frame frame;
    frame.keep = function;
    frame.function = &f;
    frame.closure = &object;
    frame.base = r;
    frame.result = &result;
    frame.call_node = node;
    frame.needs_result = needs_result;
    frames_.push_back(std::move(frame));
  };
  const bool needs_frame = !loop->lowered.by_machine.empty();
  // Otherwise its recursive calls would enter native code one by one.
  if (needs_frame) hot.may_recurse = false;
  if (needs_frame) push_frame();
  NativeRun run;
  const auto left = run_loop(*loop, entry, r, run);
  using native::Reason;
  if (left.reason == Reason::returned) {
    result = std::move(r[f.code[left.at].a]);
    if (needs_frame) {
      leave_frame();
      return true;
    }
    for (std::size_t k = 0; k < arguments.size(); ++k) r[k].reset();
    for (std::size_t k = 0; k < object.captured.size(); ++k) r[f.first_capture + static_cast<int>(k)].reset();
    for (const int k : loop->lowered.stored) r[k].reset();
    r[f.code[left.at].a].reset();
    stack_top_ = r;
    return true;
  }
  if (!needs_frame) push_frame();
  frames_.back().pc = left.at;
  if (left.reason == Reason::error)
    pending_ = run.error;
  else if (left.reason != Reason::left && left.reason != Reason::attention)
    Hot::note(hot, *loop, left);
  execute(depth);
  return true;
}

}  // namespace quill
