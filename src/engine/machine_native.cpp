// Enters native code, and executes for it what it cannot do itself.
#include <array>
#include <cstring>
#include <exception>

#include "base/interrupt.h"
#include "base/restored.h"
#include "engine/elements.h"
#include "engine/explain.h"
#include "engine/fused.h"
#include "engine/machine.h"
#include "engine/operations.h"

namespace quill {

namespace {

static_assert(sizeof(detail::stop_flags) == sizeof(int) && std::atomic<int>::is_always_lock_free);

constexpr int kDeepestNative = 60;  // native code calling functions that run native code
constexpr std::size_t kDeepestBodies = 1000;  // calls within native code, each some 100 bytes of stack

}  // namespace

// The argument of native code, extended by what its helpers use.
struct Machine::NativeRun : native::Run {
  Machine* machine = nullptr;
  Value* base = nullptr;
  std::vector<Value> kept;  // Lowered::kept, with the function objects of this run
  const std::vector<std::shared_ptr<const Function>>* codes = nullptr;  // Lowered::codes
  std::exception_ptr error;

  // Calls f. If it throws, keeps the exception and returns 0.
  template <class F>
  static std::int64_t guarded(native::Run* run, F f) {
    auto& self = *static_cast<NativeRun*>(run);
    try {
      return f(self);
    } catch (...) {
      self.error = std::current_exception();
      return 0;
    }
  }
  Value& at(std::int64_t r) { return base[r]; }
};

namespace {

// See Helpers::describe.
std::int64_t describe_array(native::Run& run, const Value& value) {
  const auto type = native::observed(value);
  if (type.place != native::Place::memory || type.axes == 0) return -1;
  const auto& a = value.array();
  run.results[0] = reinterpret_cast<std::int64_t>(a.raw_data());
  for (int k = 0; k < type.axes; ++k) {
    run.results[1 + k] = a.extent(k);
    run.results[4 + k] = a.strides()[k];
  }
  return native::array_code(type.element, type.axes, type.is_owned);
}

std::int64_t single_element(const Value& value) {
  const auto& a = value.array();
  switch (a.type()) {
    case ElementType::int32: return *a.data<std::int32_t>();
    case ElementType::uint8: return *a.data<std::uint8_t>();
    default: return *a.data<std::int64_t>();
  }
}

// Makes the value the only holder of its array and storage.
void make_own(Value& value) {
  auto& a = value.own_array();
  if (a.shares_storage()) a = a.copied();
}

}  // namespace

const native::Helpers& Machine::native_helpers() {
  using Run = native::Run;
  using Number = std::int64_t;
  static native::Helpers helpers{
      .execute = [](Run* run, Number at, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          self.machine->execute_one(static_cast<std::size_t>(at), self.base);
          return Number{1};
        });
      },
      .fused = [](Run* run, Number at, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          auto& machine = *self.machine;
          const auto* const code = machine.frames_.back().function->code.data();
          const auto* const next = code[at].op == Op::fused ? machine.pass_fused(code + at, self.base)
                                                            : machine.pass_fused_set(code + at, self.base);
          return next == code + code[at].c ? Number{1} : Number{2};
        });
      },
      .advance = [](Run* run, Number at, Number, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          auto& frame = self.machine->frames_.back();
          frame.pc = static_cast<std::size_t>(at);
          const auto& i = frame.function->code[frame.pc];
          return advance(self.base + i.a, self.at(i.b)) ? Number{1} : Number{2};
        });
      },
      .describe = [](Run* run, Number r, Number, Number) -> Number {
        return describe_array(*run, static_cast<NativeRun*>(run)->at(r));
      },
      .own = [](Run* run, Number r, Number, Number) -> Number {
        auto& value = static_cast<NativeRun*>(run)->at(r);
        try {
          make_own(value);
        } catch (...) {
          return -1;  // the machine will report it
        }
        return describe_array(*run, value);
      },
      .release = [](Run* run, Number r, Number, Number) -> Number {
        static_cast<NativeRun*>(run)->at(r).reset();
        return 1;
      },
      .copy = [](Run* run, Number to, Number from, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        self.at(to) = self.at(from);
        return 1;
      },
      .take = [](Run* run, Number to, Number from, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        Value taken(std::move(self.at(from)));
        self.at(to).swap(taken);
        return 1;
      },
      .store_single = [](Run* run, Number r, Number type, Number x) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          set_single_integer(self.at(r), static_cast<ElementType>(type), x);
          return Number{1};
        });
      },
      .load_single = [](Run* run, Number r, Number, Number) -> Number {
        run->results[0] = single_element(static_cast<NativeRun*>(run)->at(r));
        return 1;
      },
      .store_items = [](Run* run, Number r, Number count, Number parts) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          std::array<double, native::kMostItems> numbers{};
          std::memcpy(numbers.data(), run->results, static_cast<std::size_t>(count) * sizeof(double));
          const std::span<const double> items(numbers.data(), static_cast<std::size_t>(count));
          const auto vector = [&](std::size_t from, std::size_t size) {
            return Value::array(Array::of<double>({static_cast<Index>(size)}, items.subspan(from, size)));
          };
          if (parts == 0) {
            self.at(r) = vector(0, items.size());
            return Number{1};
          }
          std::vector<Value> made;
          std::size_t at = 0;
          for (auto left = static_cast<std::uint64_t>(parts); left != 0; left >>= 5) {
            const auto size = static_cast<std::size_t>(native::part_size(left));
            made.push_back(size == 1 ? Value(items[at]) : vector(at, size - 1));
            at += size == 1 ? 1 : size - 1;
          }
          self.at(r) = Value::tuple(std::move(made));
          return Number{1};
        });
      },
      .load_items = [](Run* run, Number r, Number count, Number) -> Number {
        const auto& value = static_cast<NativeRun*>(run)->at(r);
        const auto items = native::observed_items(value);
        if (!items || items->count != count) return 0;
        std::int64_t* out = run->results;
        const auto add = [&](double x) { std::memcpy(out++, &x, sizeof x); };
        const auto add_vector = [&](const Array& a) {
          for (Index k = 0; k < a.length(); ++k) add(a.at<double>({k}));
        };
        if (value.is(Kind::array)) {
          add_vector(value.array());
          return 1;
        }
        for (const auto& item : value.object<TupleObject>().items) {
          if (item.is_number())
            add(item.number());
          else
            add_vector(item.array());
        }
        return 1;
      },
      .store_scalar = [](Run* run, Number r, Number type, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          std::array<double, 2> x{};
          std::memcpy(x.data(), run->results, sizeof x);
          if (static_cast<ElementType>(type) == ElementType::float32) {
            const auto number = static_cast<float>(x[0]);
            self.at(r) = Value::array(Array::of<float>({}, std::span(&number, 1)));
          } else {
            const Complex z(x[0], x[1]);
            self.at(r) = Value::array(Array::of<Complex>({}, std::span(&z, 1)));
          }
          return Number{1};
        });
      },
      .load_scalar = [](Run* run, Number r, Number, Number) -> Number {
        const auto& a = static_cast<NativeRun*>(run)->at(r).array();
        std::array<double, 2> x{};
        if (a.type() == ElementType::float32) {
          x[0] = *a.data<float>();
        } else {
          const auto z = *a.data<Complex>();
          x = {z.real(), z.imag()};
        }
        std::memcpy(run->results, x.data(), sizeof x);
        return 1;
      },
      .store_function = [](Run* run, Number r, Number which, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        self.at(r) = self.kept[static_cast<std::size_t>(which)];
        return 1;
      },
      .store_closure = [](Run* run, Number r, Number which, Number) -> Number {
        return NativeRun::guarded(run, [&](NativeRun& self) {
          const auto& code = (*self.codes)[static_cast<std::size_t>(which)];
          auto* const object = new FunctionObject(code, *code);
          const Value made(Kind::function, object);
          for (std::size_t k = 0; k < code->captures.size(); ++k) {
            double x = 0;
            std::memcpy(&x, run->results + k, sizeof x);
            object->captured.emplace_back(x);
          }
          object->depth = depth_inside(object->captured);
          self.at(r) = made;
          return Number{1};
        });
      },
      .load_closure = [](Run* run, Number r, Number which, Number) -> Number {
        auto& self = *static_cast<NativeRun*>(run);
        const auto closure = native::observed_closure(self.at(r));
        if (!closure || closure->code != (*self.codes)[static_cast<std::size_t>(which)].get()) return 0;
        std::int64_t* out = run->results;
        for (const auto& x : self.at(r).object<FunctionObject>().captured)
          std::memcpy(out++, &x.number(), sizeof(double));
        return 1;
      },
      .draw = [](Run* run, Number row, Number, Number) -> Number {
        auto& machine = *static_cast<NativeRun*>(run)->machine;
        const double x = machine.registry_.row(static_cast<int>(row)).draw(machine.context_);
        std::memcpy(run->results, &x, sizeof x);
        return 1;
      },
      .draw_whole = [](Run* run, Number row, Number, Number) -> Number {
        auto& machine = *static_cast<NativeRun*>(run)->machine;
        std::array<double, 2> ends{};
        std::memcpy(ends.data(), run->results, sizeof ends);
        const auto drawn =
            machine.registry_.row(static_cast<int>(row)).draw_whole(machine.context_, ends[0], ends[1]);
        if (drawn) run->results[0] = *drawn;
        return drawn ? 1 : 2;
      },
      .tick = nullptr,
  };
  helpers.tick = nullptr;
  if (native_checks_left() >= 0)
    helpers.tick = [](Run*, Number, Number, Number) -> Number { return --native_checks_left() != 0; };
  return helpers;
}

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
  const Deeper one_more(native_depth_);
  return native::unpacked(loop.entry(&run, static_cast<std::int64_t>(entry)));
}

std::pair<NativeLoop*, std::size_t> Machine::native_for(const Function& f, HotFunction& hot, std::size_t head,
                                                        Value* r) {
  if (native_depth_ >= kDeepestNative) return {nullptr, 0};
  const auto found = hot_.loop_for(f, hot, head, r, registry_, native_helpers);
  if (found.first != nullptr) try {
      for (const auto& [place, type] : found.first->lowered.entries[found.second].required)
        if (type.is_owned) make_own(r[place]);
    } catch (...) {
      return {nullptr, 0};  // the machine will report it where the array is changed
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
  // Each one that is continued by the machine nests execute().
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
  // A frame is needed by instructions that the machine executes, and to resume in the machine.
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
  // Its calls of itself would enter native code one by one.
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
