#include "engine/elements.h"
#include "engine/native_run.h"

#include <fmt/format.h>
#include <sys/mman.h>

#include <algorithm>
#include <new>

#include "array/index.h"
#include "array/scalar.h"
#include "base/interrupt.h"
#include "base/memory.h"
#include "base/text.h"
#include "compiler/operations_table.h"
#include "engine/fused.h"
#include "engine/operations.h"

namespace quill {

namespace {

constexpr std::size_t kStackSize = 1 << 20;  // values

// Whether the array and its storage are unshared.
inline bool is_owned(const Value& v) {
  return v.object<ArrayObject>().use_count() == 1 && !v.array().shares_storage();
}

// Fast paths of element operations and booleans; false if the general code is needed.
[[gnu::always_inline]] inline bool take_element(Value& a, const Value& b, const Value* subscripts,
                                                int count) {
  Index at = 0;
  if (!b.is(Kind::array) || !find_element(b.array(), subscripts, count, at)) return false;
  const auto& array = b.array();
  if (array.type() != ElementType::float64 || holds_times(array))
    return &a != &b && read_element(a, array, at);
  a.set_number(array.data<double>()[at]);
  return true;
}

[[gnu::always_inline]] inline bool set_element(Value& a, const Value* subscripts, int count, const Value& c) {
  Index at = 0;
  if (!find_element(a, subscripts, count, at) || !is_owned(a)) return false;
  auto& array = a.array_to_change();
  if (!c.is_number() || array.type() != ElementType::float64) return write_element(array, at, c);
  array.mutable_data<double>()[at] = c.number();
  return true;
}

[[gnu::always_inline]] inline bool update_element(Value& a, const Value* subscripts, const Instruction& i,
                                                  const Value& c, Value& element) {
  Index at = 0;
  if (!find_element(a, subscripts, i.n, at) || !is_owned(a)) return false;
  const auto op = static_cast<Op>(i.flag & ~kUpdateLiteral);
  auto& array = a.array_to_change();
  if (array.type() == ElementType::float64) {
    if (!c.is_number() || op > Op::divide) return false;
    double& x = array.mutable_data<double>()[at];
    scalar::with_basic(binary_of(op), [&](auto f) { x = f(x, c.number()); });
    return true;
  }
  return read_element(element, array, at) &&
         operate_single(op, element, element, c, i.flag & kUpdateLiteral ? kRightLiteral : kNone) &&
         write_element(array, at, element);
}

[[gnu::always_inline]] inline bool combine_booleans(Op op, Value& a, const Value& b, const Value& c) {
  if (!b.is(Kind::boolean) || (op != Op::logical_not && !c.is(Kind::boolean))) return false;
  if (op == Op::logical_and)
    a.set_boolean(scalar::And{}(b.boolean(), c.boolean()));
  else if (op == Op::logical_or)
    a.set_boolean(scalar::Or{}(b.boolean(), c.boolean()));
  else
    a.set_boolean(!b.boolean());
  return true;
}

}  // namespace

Machine::Machine(const Registry& registry, Services& services, Context& context, NativeUse native, Hot* hot)
    : registry_(registry),
      services_(services),
      context_(context),
      own_hot_(native),
      hot_(hot != nullptr ? *hot : own_hot_) {
  // Zero bytes represent an unset value.
  static_assert(static_cast<int>(Kind::unset) == 0);
  // Fresh pages are zero, and committed on first access.
  void* pages = mmap(nullptr, kStackSize * sizeof(Value), PROT_READ | PROT_WRITE,
                     MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
  if (pages == MAP_FAILED) fail("not enough memory to start");
  stack_ = static_cast<Value*>(pages);
  stack_top_ = stack_;
  stack_end_ = stack_ + kStackSize;
}

Machine::~Machine() {
  for (auto* v = stack_; v != stack_top_; ++v) v->~Value();
  munmap(stack_, kStackSize * sizeof(Value));
}

Location Machine::location_of(const Node* node) const {
  if (node == nullptr || frames_.empty()) return {};
  return {frames_.back().function->tree->source, node->span};
}

Location Machine::running_location() const {
  if (frames_.empty()) return {};
  const auto& frame = frames_.back();
  return location_of(frame.function->nodes[frame.pc]);
}

void Machine::warn(std::string message, std::string hint, const Node* node) {
  Error warning(std::move(message), std::move(hint));
  // Default: location of the running instruction.
  warning.location = node ? location_of(node) : running_location();
  services_.warn(warning);
}

void Machine::see_to_requests_at(const Instruction* ip) {
  auto& frame = frames_.back();
  frame.pc = static_cast<std::size_t>(ip - frame.function->code.data());
  serve_requests();
}

std::optional<Progress::State> Machine::progress() const {
  if (frames_.empty()) return std::nullopt;
  // Finds the largest loop around the running instruction.
  const auto& frame = frames_.front();
  const auto& code = frame.function->code;
  std::size_t found = 0, longest = 0;
  for (std::size_t end = frame.pc; end < code.size(); ++end) {
    const auto begin = static_cast<std::size_t>(code[end].c);
    if (code[end].op != Op::loop_next || begin > frame.pc || end - begin < longest) continue;
    longest = end - begin;
    found = end;
  }
  if (longest == 0) return std::nullopt;
  const Value* const state = frame.base + code[found].a;
  if (!state[1].is_number() || !state[2].is_number()) return std::nullopt;
  // Iteration state made by iterate(): a range, or a count.
  double done = state[1].number(), whole = state[2].number();
  if (state[0].is(Kind::none)) {
    done -= state[3].number();
    whole -= state[3].number();
  }
  const auto& node = *frame.function->nodes[found];
  const auto& source = *frame.function->tree->source;
  const auto text = source.text({node.span.begin, node.body().span.begin});
  return Progress::State{
      fmt::format("line {}, {}", source.position(node.span.begin).line, trim(text.substr(0, text.find('{')))),
      whole > 0 ? done / whole : 0, &node};
}

void Machine::run(const Function& top, std::size_t start) {
  auto& slots = top.module->slots;
  const auto names = top.module->names.size();
  slots.resize(std::max(slots.size(), static_cast<std::size_t>(top.frame_size)));
  for (const auto& [r, number] : top.constants) slots[static_cast<std::size_t>(r)] = Value(number);
  Frame frame;
  frame.function = &top;
  frame.base = slots.data();
  frame.pc = start;
  frames_.push_back(frame);
  const Progress loops([this] { return progress(); });
  const auto clear = [&] { slots.resize(names); };
  try {
    execute(frames_.size() - 1);
  } catch (...) {
    clear();
    throw;
  }
  clear();
}

std::string Machine::written(const Node& node) const {
  return std::string(frames_.back().function->tree->source->text(node.span));
}

void Machine::execute(std::size_t stop_depth) {
  const Instruction* ip = nullptr;
  try {
    if (pending_) [[unlikely]] {
      ip = frames_.back().function->code.data() + frames_.back().pc;
      std::rethrow_exception(std::exchange(pending_, nullptr));
    }
    while (frames_.size() > stop_depth) {
      // Must be reloaded after calls and returns.
      auto* frame = &frames_.back();
      const Instruction* const code = frame->function->code.data();
      Value* const r = frame->base;
      ip = code + frame->pc;
      HotFunction* const hot = hot_.function(*frame->function);
      const auto depth = frames_.size();
      while (true) {
        const Instruction& i = *ip;
        Value& a = r[i.a];
        const Value& b = r[i.b];
        const Value& c = r[i.c];
        switch (i.op) {
          // Two numbers, or small arrays in the storage of the result.
#define QUILL_CASE(name, functor)                                                                       \
  case Op::name:                                                                                        \
    if (b.is_number() && c.is_number())                                                                 \
      a.set_number(scalar::functor{}(b.number(), c.number()));                                          \
    else if (!operate_small(i.op, a, r[i.b], r[i.c], i.flag) && !operate_single(i.op, a, b, c, i.flag)) \
      goto slow;                                                                                        \
    break;
          QUILL_CASE(add, Add)
          QUILL_CASE(subtract, Subtract)
          QUILL_CASE(multiply, Multiply)
          QUILL_CASE(divide, Divide)
#undef QUILL_CASE
          case Op::remainder:
            if (b.is_number() && c.is_number())
              a.set_number(scalar::Remainder{}(b.number(), c.number()));
            else if (!operate_single(i.op, a, b, c, i.flag))
              goto slow;
            break;
#define QUILL_CASE(name, functor, ...)                          \
  case Op::name:                                                \
    if (b.is_number() && c.is_number())                         \
      a.set_boolean(scalar::functor{}(b.number(), c.number())); \
    else if (!operate_single(i.op, a, b, c, i.flag))            \
      goto slow;                                                \
    break;
            QUILL_COMPARISON_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
          case Op::negate:
            if (b.is_number())
              a.set_number(scalar::Negate{}(b.number()));
            else
              goto slow;
            break;
          case Op::move:
            if (b.is_number())
              a.set_number(b.number());
            else
              a = b;
            break;
          case Op::take: {
            Value taken(std::move(r[i.b]));
            a.swap(taken);
            break;
          }
          case Op::jump: {
            poll(ip);
            const auto* const from = ip;
            ip = code + i.a;
            if (ip <= from && hot && --hot->countdown[static_cast<std::size_t>(i.a)] < 0) [[unlikely]]
              goto native;
            continue;
          }
          case Op::jump_false:
            if (!b.is(Kind::boolean)) goto slow;
            if (!b.boolean()) {
              ip = code + i.a;
              continue;
            }
            break;
          case Op::jump_set:
            if (!b.is(Kind::unset)) {
              ip = code + i.a;
              continue;
            }
            break;
          case Op::jump_if_known_false:
          case Op::jump_if_known_true:
            if (b.is(Kind::boolean) && b.boolean() == (i.op == Op::jump_if_known_true)) {
              ip = code + i.a;
              continue;
            }
            break;
          case Op::next:
            if (!advance(r + i.a, r[i.b])) {
              ip = code + i.c;
              continue;
            }
            break;
          case Op::loop_next:
            poll(ip);
            if (advance(r + i.a, r[i.b])) {
              ip = code + i.c;
              if (hot && --hot->countdown[static_cast<std::size_t>(i.c)] < 0) [[unlikely]]
                goto native;
              continue;
            }
            break;
          native:
            run_native(*hot, ip);
            frame = &frames_.back();
            continue;
          case Op::index:
            if (!take_element(a, b, &c, i.n)) goto slow;
            break;
          case Op::set_index:
            if (!set_element(a, r + i.b, i.n, c)) goto slow;
            break;
          case Op::update_index:
            if (!update_element(a, r + i.b, i, c, element_)) goto slow;
            break;
          case Op::logical_and:
          case Op::logical_or:
          case Op::logical_not:
            if (!combine_booleans(i.op, a, b, c)) goto slow;
            break;
          case Op::fused:
            if (i.flag == 0 && !may_be_long(r[i.n])) break;
            ip = pass_fused(ip, r);
            continue;
          case Op::part_once:
          case Op::global_once:
            if (a.is(Kind::unset)) goto slow;
            break;
          case Op::fused_more: break;  // native code was left between a region and its separate operations
          case Op::fused_set: ip = pass_fused_set(ip, r); continue;
          case Op::timed_end:
            frame->pc = static_cast<std::size_t>(ip - code);
            if (end_timing(i, r)) {
              ip = code + i.c;
              continue;
            }
            break;
          case Op::return_value: {
            if (i.a < 0 && frame->needs_result) fail_no_result();
            Value result = i.a < 0 ? Value::none() : std::move(a);
            // Variables of the top level persist; registers of functions end here.
            auto* to = frame->result;
            frame->pc = static_cast<std::size_t>(ip - code);
            leave_frame();
            if (to) *to = std::move(result);
            goto next_frame;
          }
          case Op::call:
            frame->pc = static_cast<std::size_t>(ip - code);
            call_value(i, frame->function->nodes[frame->pc], r);
            if (frames_.size() != depth) {
              frames_[depth - 1].pc += 1;
              goto next_frame;
            }
            frame = &frames_.back();
            break;
          default:
          slow:
            frame->pc = static_cast<std::size_t>(ip - code);
            if (hot) hot->charge(frame->pc);
            step_slow(i, frame->function->nodes[frame->pc], r);
            frame = &frames_.back();  // the vector may have been reallocated
            if (i.op == Op::jump_false && !b.boolean()) {
              ip = code + i.a;
              continue;
            }
            break;
        }
        ++ip;
      }
    next_frame:;
    }
  } catch (Error& error) {
    unwind(error, stop_depth, ip);
    throw;
  } catch (const std::bad_alloc&) {
    Error error = memory_error();
    unwind(error, stop_depth, ip);
    throw error;
  } catch (const std::exception&) {
    // Other exceptions of libraries must not end a session.
    Error error("a library call failed");
    unwind(error, stop_depth, ip);
    throw error;
  }
}

void Machine::fail_no_result() {
  const auto& frame = frames_.back();
  Error error(fmt::format("{} ended without a result to assign", frame.function->name),
              "a function with a body in braces returns a value with `return`");
  error.location = {frames_[frames_.size() - 2].function->tree->source, frame.call_node->span};
  throw error;
}

}  // namespace quill
