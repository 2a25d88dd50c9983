// Counts iterations of loops, has native code made of those that run often, and keeps it.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "compiler/flow.h"
#include "native/lower.h"
#include "value/registry.h"

namespace quill {

// When loops become native code.
enum class NativeUse : std::uint8_t {
  off,
  when_hot,  // after some milliseconds in one
  at_once    // in the first iteration, for tests
};

// The default for new machines; tests change it.
NativeUse& default_native_use();

// For tests: how many more checks of native code succeed before one is made to fail; below 0 none is. Has to
// be set before the code is made.
std::int64_t& native_checks_left();
// After so many instructions a loop is hot; tests lower it.
int& hot_instructions();

// The shared object that makes machine code; null where it is not installed. Loaded by the first call.
const native::Maker* native_maker();

// Machine code of one loop, which stays as long as the function is known.
struct NativeLoop {
  native::Lowered lowered;
  void* made = nullptr;
  native::Entry entry = nullptr;
  bool is_retired = false;   // its assumptions about types do not hold
  double seconds = 0;        // that making it took
  bool is_function = false;  // it is a whole function, entered by calls from built-ins
  // It is called with numbers alone: the types of the function and of its arguments, and of the result.
  bool is_direct = false;
  std::vector<native::Type> types;
  std::vector<int> sizes;  // see DirectCall
  int result_size = 0;
  Value function;  // that it is made for, if there is only one
  Index entered = 0;
  std::map<std::pair<std::size_t, native::Reason>, int> left;  // how often a check failed, by instruction
};

// What is known of a function that has loops.
struct HotFunction {
  explicit HotFunction(const Function& f);
  ~HotFunction();
  HotFunction(const HotFunction&) = delete;
  HotFunction& operator=(const HotFunction&) = delete;
  // By instruction: how many more jumps back to it until it is hot. Below 0 it is.
  std::vector<int> countdown;
  int calls_left = 0;          // by built-ins or from itself, until the whole function is hot
  bool may_recurse = true;     // whether calls from itself are entered natively
  std::unique_ptr<Flow> flow;  // made with the first native code
  native::Experience experience, direct_experience;
  bool has_no_direct = false;                                  // it cannot be called with numbers alone
  std::map<std::pair<std::size_t, native::Reason>, int> left;  // the same, in all its loops
  std::vector<std::unique_ptr<NativeLoop>> loops;
  // What the function was made from.
  std::shared_ptr<const Tree> tree;
  std::vector<const Node*> nodes;
  const Node* definition = nullptr;
  std::string signature;
};

class Hot {
 public:
  explicit Hot(NativeUse use = default_native_use()) : use_(use) {}
  // The counters of a function; null if it has no loop or native code is switched off.
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
  // Native code that can be entered at this head with the values in the frame, and the number of the entry.
  // Makes it if there is none; null if that fails.
  std::pair<NativeLoop*, std::size_t> loop_for(const Function& f, HotFunction& hot, std::size_t head,
                                               const Value* frame, const Registry& registry,
                                               const native::Helpers& (*helpers)());
  // Makes code for calls with numbers alone. `types`: of the function, its arguments and its result. Null if
  // that fails.
  NativeLoop* make_direct(const Function& f, HotFunction& hot, std::vector<native::Type> types,
                          const Registry& registry, const native::Helpers& (*helpers)());
  // Records a call of it that failed.
  static void note_direct(HotFunction& hot, NativeLoop& code, native::Reason reason);
  // Records a failed check. After several at one instruction the code is retired and made again.
  static void note(HotFunction& hot, NativeLoop& loop, native::Left left);
  // Whether there were hot loops, and no shared object to compile them.
  bool lacks_maker() const { return lacks_maker_; }
  // The functions that have native code.
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
