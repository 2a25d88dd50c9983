// The virtual machine that runs compiled programs.
#pragma once

#include <exception>
#include <functional>
#include <memory>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "base/interrupt.h"
#include "base/progress.h"
#include "compiler/program.h"
#include "engine/hot.h"
#include "engine/services.h"
#include "value/registry.h"

namespace quill {

class Machine : public Runtime {
 public:
  // `context` is passed to built-ins. `hot`: native code of earlier machines, which outlives this one; may be
  // null.
  Machine(const Registry& registry, Services& services, Context& context,
          NativeUse native = default_native_use(), Hot* hot = nullptr);
  ~Machine() override;
  Machine(const Machine&) = delete;
  Machine& operator=(const Machine&) = delete;

  // Runs the top level of a text in its module. Errors are thrown with their location and call stack;
  // variables keep the values they had at that time. `start`: instruction of a statement, for programs that
  // run statement by statement.
  void run(const Function& top, std::size_t start = 0);
  // Calls a function value from a built-in.
  Value call(const Value& function, std::span<const Value> arguments) override;
  // Applies the function elementwise with broadcasting; functions, records and single texts are passed whole.
  // `form` is null if all arguments are positional.
  Value call_each(const Value& function, std::span<const Value> arguments, const CallForm* form,
                  const Node* node);

  bool call_direct_slowly(DirectCall& how, const Value& function, std::span<const double> arguments,
                          std::span<double> result) override;
  bool is_elementwise(const Value& function, std::span<const Role> arguments) const override;
  void warn(std::string message, std::string hint, const Node* node) override;
  RandomStream& random() override { return services_.random(); }
  const Registry& registry() const { return registry_; }
  // Which loops have native code.
  std::string explained_loops() const;
  const Hot& hot() const { return hot_; }
  Context& context() const { return context_; }
  // Location of a node in the running text.
  Location location_of(const Node* node) const override;
  // Location of the running statement; none if nothing runs.
  Location running_location() const;

 private:
  // Progress of the outermost loop of the text.
  std::optional<Progress::State> progress() const;
  void see_to_requests_at(const Instruction* ip);
  void poll(const Instruction* ip) {
    if (interrupt_requested()) [[unlikely]]
      see_to_requests_at(ip);
  }
  Value call_library(const Value& function, std::span<Value> arguments, const Node* node);
  Value call_formed(const Value& function, std::span<const Value> arguments, const CallForm* form,
                    const Node* node, const std::function<std::string()>& place);
  Value call_each_key(const Value& function, const DictionaryObject& keyed, std::span<const Value> arguments,
                      const CallForm* form, const Node* node);
  [[noreturn]] static void fail_names_given(const Value& library);
  std::optional<Value> call_with_texts(const Value& function, std::span<const Value> arguments);
  std::optional<Value> call_whole(const Value& function, std::span<const Value> arguments,
                                  const Shape& shape);
  struct Frame {
    const Function* function = nullptr;
    const FunctionObject* closure = nullptr;  // held alive by `keep`
    Value keep;
    Value* base = nullptr;
    std::size_t pc = 0;
    Value* result = nullptr;  // where the caller wants the result; may be null
    const Node* call_node = nullptr;
    bool needs_result = false;  // the caller assigns the result
  };

  void execute(std::size_t stop_depth);
  // Enters native code at a loop head if there is some. Afterwards `ip` is the next instruction, or the one
  // that failed.
  struct NativeRun;
  static const native::Helpers& native_helpers();
  [[gnu::noinline]] void run_native(HotFunction& hot, const Instruction*& ip);
  void execute_one(std::size_t at, Value* base);
  std::pair<NativeLoop*, std::size_t> native_for(const Function& f, HotFunction& hot, std::size_t head,
                                                 Value* base);
  native::Left run_loop(NativeLoop& loop, std::size_t entry, Value* base, NativeRun& run);
  // Calls a hot function from a built-in or at `node`; false if there is no native code for these arguments.
  bool call_native(HotFunction& hot, const Value& function, std::span<const Value> arguments, Value& result,
                   const Node* node = nullptr, bool needs_result = false);
  // Calls a function natively from itself, once it is hot.
  bool call_recursive(const Instruction& i, const Value& function, const Node* node, Value* base);
  bool prepare_direct(DirectCall& how, const Value& function);
  NativeLoop* make_direct(const DirectCall& how, HotFunction& hot, const FunctionObject& object,
                          const std::optional<native::Type>& closure);
  std::unique_ptr<NativeRun> direct_run_;
  std::exception_ptr pending_;  // thrown in native code; execute() rethrows it
  static constexpr std::size_t kMostFrames = 10000;
  // `form` is null if all arguments are positional.
  void enter(const Value& function, Value* arguments, int count, const CallForm* form, const Node* node,
             Value* result);
  static void bind_arguments(const Function& f, Value* base, Value* arguments, int count,
                             const CallForm* form);
  void leave_frame();
  [[noreturn]] void fail_no_result();
  void unwind(Error& error, std::size_t depth, const Instruction* running);
  // Evaluates a fused region if an operand is an array. Returns the next instruction: the one after its
  // operations, or the first of them if they have to run one by one.
  [[gnu::noinline]] const Instruction* pass_fused(const Instruction* ip, Value* r);
  [[gnu::noinline]] const Instruction* pass_fused_set(const Instruction* ip, Value* r);
  // base[subscripts] = region; false if its operations have to run one by one.
  bool set_fused(FusedRegion& region, Value* r, Value& base, int subscripts, const Node* place);
  // Slow cases of the instructions.
  void step_slow(const Instruction& i, const Node* node, Value* base);
  // By family of operations; false for instructions of other families.
  struct Step;
  bool step_access(const Step& step);
  bool step_operator(const Step& step);
  bool step_building(const Step& step);
  bool step_element(const Step& step);
  bool step_call(const Step& step);
  bool step_statement(const Step& step);
  void call_value(const Instruction& i, const Node* node, Value* base);
  void iterate(Value* state, const Value& source, const Node& node);
  // Sets target to the next value of an iteration; false at its end. The state is the collection, the number
  // of values so far and in all; for integer ranges:
  // none, next, last and first number; with a step other than 1 the step instead of the collection, and the
  // first number at the end.
  static bool advance(Value* state, Value& target) {
    const double k = state[1].number();
    if (state[0].is(Kind::none)) {
      if (k > state[2].number()) return false;
      state[1].set_number(k + 1);
      target.set_number(k);
      return true;
    }
    if (k >= state[2].number()) return false;
    state[1].set_number(k + 1);
    if (state[0].is_number())
      target.set_number(state[3].number() + k * state[0].number());
    else if (state[0].is(Kind::range))
      target.set_number(state[0].object<RangeObject>().at(static_cast<Index>(k)));
    else
      next_slow(state, target);
    return true;
  }
  static void next_slow(Value* state, Value& target);
  void make_closure(const Instruction& i, Value* base);
  void begin_timing(const Instruction& i, Value* base);
  void start_repetition(const Value& timing, Value* base);
  // Whether the timed block runs again.
  bool end_timing(const Instruction& i, Value* base);
  Value use_file(const std::string& name, const Node& node);
  void check_expectation(const Instruction& i, const Node& node, Value* base);
  // The function value of a captured sibling.
  static Value sibling_of(const Value& captured);
  // Throws the error for a captured name that has no value when the function is created.
  [[noreturn]] void fail_unset(const Node& function, const std::string& name) const;
  // The call that was probably meant by a part: length(v) for v.length.
  std::string call_instead(const Node& part) const;
  // Adds a hint to the error of an assignment whose target does not exist, or does not fit the value.
  void explain_assignment(Error& error, const Value& base, const Value& value, const Node* target) const;
  // Source text of a node.
  std::string written(const Node& node) const;

  const Registry& registry_;
  Services& services_;
  Context& context_;
  Value* stack_ = nullptr;
  Value* stack_top_ = nullptr;
  Value* stack_end_ = nullptr;
  std::vector<Frame> frames_;
  Value element_;  // scratch for updates of single elements
  // Throws Error if calls of functions by built-ins are nested too deeply.
  void check_builtin_depth() const;
  int builtin_depth_ = 0;
  Hot own_hot_;
  Hot& hot_;
  int native_depth_ = 0, recursive_depth_ = 0;
};

}  // namespace quill
