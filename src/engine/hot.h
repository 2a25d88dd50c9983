// Counts loop iterations, and compiles and caches native code of hot loops.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "compiler/flow.h"
#include "native/lower.h"
#include "value/registry.h"

namespace quill {

// When loops are compiled to native code.
enum class NativeUse : std::uint8_t {
  off,
  when_hot,  // once a loop has run for some milliseconds
  at_once    // before the first iteration; for tests
};

// Default for new machines; changed by tests.
NativeUse& default_native_use();

// For tests: number of checks in native code that succeed before one is forced to fail; negative: none. Must
// be set before compilation.
std::int64_t& native_checks_left();
// Number of instructions after which a loop is hot; lowered by tests.
int& hot_instructions();

// The shared object with the native compiler; null if it is not installed. Loaded on the first call.
const native::Maker* native_maker();

// Native code of one loop or function; lives as long as the function.
struct NativeLoop {
  native::Lowered lowered;
  void* made = nullptr;
  native::Entry entry = nullptr;
  bool is_retired = false;   // retired after repeated failures of its type assumptions
  double seconds = 0;        // compile time
  bool is_function = false;  // a whole function, entered from calls by built-ins
  // Called with numbers only: types of function, arguments and result.
  bool is_direct = false;
  std::vector<native::Type> types;
  DirectCall::Sizes sizes;
  int result_size = 0;
  Value function;  // the function that the code is specialised for, if any
  Index entered = 0;
  std::map<std::pair<std::size_t, native::Reason>, int> left;  // failed checks by instruction
};

// Native code and counters of a function that has loops.
struct HotFunction {
  explicit HotFunction(const Function& f);
  ~HotFunction();
  HotFunction(const HotFunction&) = delete;
  HotFunction& operator=(const HotFunction&) = delete;
  // By instruction: remaining backward jumps until the loop is hot; negative once it is.
  std::vector<int> countdown;
  // Counts a slow instruction, which costs as much as many others, towards the loop around it.
  void charge(std::size_t at);
  int calls_left = 0;          // remaining calls by built-ins or from itself until the whole function is hot
  bool may_recurse = true;     // whether recursive calls are entered natively
  std::unique_ptr<Flow> flow;  // built with the first native code
  native::Experience experience, direct_experience;
  bool has_no_direct = false;                                  // cannot be called with numbers only
  std::map<std::pair<std::size_t, native::Reason>, int> left;  // failed checks in all its loops
  std::vector<std::unique_ptr<NativeLoop>> loops;
  // Source of the function.
  std::shared_ptr<const Tree> tree;
  std::vector<const Node*> nodes;
  const Node* definition = nullptr;
  std::string signature;

 private:
  struct Around {
    int head = -1, cost = 0;
  };
  std::vector<Around> loops_around_;  // the innermost one by instruction, with the cost of an iteration
  int charged_ = 0;
};

class Hot {
 public:
  explicit Hot(NativeUse use = default_native_use()) : use_(use) {}
  // Counters of a function; null if it has no loop or native code is off.
  HotFunction* function(const Function& f) {
    if (use_ == NativeUse::off) return nullptr;
    if (f.id < functions_.size() && functions_[f.id]) return functions_[f.id].get();
    return add(f);
  }
  // Counts a call by a built-in; null until the function is hot.
  HotFunction* called(const Function& f) {
    if (use_ == NativeUse::off) return nullptr;
    if (f.id >= functions_.size() || !functions_[f.id]) add_called(f);
    auto& hot = *functions_[f.id];
    return --hot.calls_left < 0 ? &hot : nullptr;
  }
  // Native code that can be entered at this loop head with the values in the frame, with the entry number;
  // compiled if necessary. Null if that fails.
  std::pair<NativeLoop*, std::size_t> loop_for(const Function& f, HotFunction& hot, std::size_t head,
                                               const Value* frame, const Registry& registry,
                                               const native::Helpers& (*helpers)());
  // Compiles code for calls with numbers only. `types`: function, arguments, result. Null if that fails.
  NativeLoop* make_direct(const Function& f, HotFunction& hot, std::vector<native::Type> types,
                          const Registry& registry, const native::Helpers& (*helpers)());
  // Counts a failed call of it.
  static void note_direct(HotFunction& hot, NativeLoop& code, native::Reason reason);
  // Counts a failed check. After several at one instruction the code is retired and compiled again.
  static void note(HotFunction& hot, NativeLoop& loop, native::Left left);
  // Whether there were hot loops but no native compiler.
  bool lacks_maker() const { return lacks_maker_; }
  // Functions with native code.
  std::vector<const HotFunction*> functions() const;

 private:
  HotFunction* add(const Function& f);
  static void describe(const Function& f, HotFunction& hot);
  const native::Maker* maker();
  static void compile(NativeLoop& loop, const native::Maker& maker);
  void add_called(const Function& f);
  NativeUse use_;
  bool lacks_maker_ = false;
  std::vector<std::unique_ptr<HotFunction>> functions_;  // by id
  std::vector<bool> have_no_loop_;                       // by id
};

}  // namespace quill
