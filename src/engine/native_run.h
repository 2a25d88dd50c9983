// The argument of native code, extended by what its helpers use.
#pragma once

#include <exception>
#include <memory>
#include <vector>

#include "engine/machine.h"

namespace quill {

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

// Evaluates native::Parts; see Helpers::evaluate. `target`: the register for a new array; null for `to` < 0.
std::int64_t evaluate_parts(native::Run& run, std::int64_t to, Value* target, int count,
                            const native::Parts& parts);
// Stores the part of an array that the results describe.
void store_slice(const native::Run& run, Value& target, const Array& whole, int axes);
// See Helpers::describe.
std::int64_t describe_array(native::Run& run, const Value& value);
// Makes the value the only holder of its array and storage.
void make_own(Value& value);

}  // namespace quill
