// The argument of native code, with the state of its helper functions.
#pragma once

#include <array>
#include <exception>
#include <memory>
#include <vector>

#include "engine/machine.h"

namespace quill {

// Limit of nested calls within native code, each of which takes some 100 bytes of stack.
inline constexpr std::size_t kDeepestBodies = 1000;

struct Machine::NativeRun : native::Run {
  Machine* machine = nullptr;
  Value* base = nullptr;
  std::vector<Value> kept;  // Lowered::kept, with the function objects of this run
  const std::vector<std::shared_ptr<const Function>>* codes = nullptr;  // Lowered::codes
  std::exception_ptr error;
  std::array<std::int64_t, 64> few;  // storage for Run::saved
  std::vector<std::int64_t> many;

  // Calls f. If it throws, stores the exception and returns 0.
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

// Evaluates native::Parts; see Helpers::evaluate. `target`: the register for a new array; null for `to` < 0.
std::int64_t evaluate_parts(native::Run& run, std::int64_t to, Value* target, int count,
                            const native::Parts& parts);
// Stores a view of an array given by address, extents and strides.
void store_slice(Value& target, const Array& whole, int axes, const std::int64_t* description);
// Stores the variables of a register as a value; not for functions. `base`: the frame.
void store_saved(const native::Type& type, const std::int64_t* values, Value& target, Value* base);
// A function with this code and these captured numbers.
Value closure_of(const std::shared_ptr<const Function>& code, const std::int64_t* captured);
// See Helpers::describe.
std::int64_t describe_array(native::Run& run, const Value& value);
// Makes the value the sole owner of its array and storage.
void make_own(Value& value);

}  // namespace quill
