// Services of the running program for values and built-ins.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cstdint>
#include <initializer_list>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"

namespace quill {

class RandomStream;
class Value;
struct Node;

// How an argument varies over many calls.
enum class Role : std::uint8_t {
  varying,  // a single number, different in each call
  uniform,  // the same single number
  vector,   // the same vector of numbers
};

namespace native {
struct Run;
}

// How to call a function with numbers only; cached by callers that call it often.
struct DirectCall {
  // Per argument: 0 for a number, else the length of a vector. Nothing here is allocated, as some calls are
  // made in loops.
  struct Sizes {
    static constexpr std::size_t kMost = 4;
    Sizes() = default;
    Sizes(std::initializer_list<int> list) : count(list.size()) {
      std::copy(list.begin(), list.end(), of.begin());
    }
    std::array<int, kMost> of{};
    std::size_t count = 0;
    const int* begin() const { return of.data(); }
    const int* end() const { return of.data() + count; }
    bool operator==(const Sizes&) const = default;
  };
  // Native code and the memory that it works on, which the runtime owns.
  struct Code {
    std::int64_t (*enter)(native::Run* run, std::int64_t entry) = nullptr;  // null: none yet
    native::Run* run = nullptr;
    std::int64_t* depth = nullptr;
    std::int64_t deepest = 0;         // how many calls of bodies may be nested, the value of `depth`
    std::int64_t* numbers = nullptr;  // by their bits: the arguments, then the result
    std::int64_t* entered = nullptr;  // counter
    void *loop = nullptr, *owner = nullptr;
  };
  static constexpr std::size_t kMostCaptured = 16;
  Sizes sizes{};
  int result_size = 0;  // the same for the result; -1: a boolean as 0 or 1
  Code code{};
  bool is_off = false;    // the function has no such form
  std::uint8_t left = 0;  // why the last call left the code: a native::Reason, 0 at its end
  std::size_t captured = 0;
  std::array<double, kMostCaptured> numbers{};  // captured

  // Calls the code, which there must be. Returns whether it came to its end.
  bool enter(std::span<const double> arguments, std::span<double> result) {
    *code.depth = code.deepest;
    auto* to = code.numbers;
    for (std::size_t k = 0; k < captured; ++k) *to++ = std::bit_cast<std::int64_t>(numbers[k]);
    for (const double x : arguments) *to++ = std::bit_cast<std::int64_t>(x);
    left = static_cast<std::uint8_t>(code.enter(code.run, 0));
    if (left != 0) return false;
    ++*code.entered;
    for (std::size_t k = 0; k < result.size(); ++k) result[k] = std::bit_cast<double>(code.numbers[k]);
    return true;
  }
};

class Runtime {
 public:
  virtual ~Runtime() = default;
  // Calls a function value.
  virtual Value call(const Value& function, std::span<const Value> arguments) = 0;
  // Calls it natively with numbers and vectors concatenated. Returns false if that is not possible, or the
  // call has something to report; call() then does everything.
  bool call_direct(DirectCall& how, const Value& function, std::span<const double> arguments,
                   std::span<double> result) {
    if (how.code.enter != nullptr && how.enter(arguments, result)) return true;
    return !how.is_off && call_direct_slowly(how, function, arguments, result);
  }
  // Its part for calls without code, which is made where it pays, and for calls that have just left it.
  virtual bool call_direct_slowly(DirectCall&, const Value&, std::span<const double>, std::span<double>) {
    return false;
  }
  // Whether one call with vectors for the varying arguments is certain to give the same results as a call for
  // each element.
  virtual bool is_elementwise(const Value& function, std::span<const Role> arguments) const = 0;
  // Random numbers of the run.
  virtual RandomStream& random() = 0;
  // Reports a warning at a node of the running text; null for the running statement.
  virtual void warn(std::string message, std::string hint, const Node* node) = 0;
  // Location of a node in the running text; none for null.
  virtual Location location_of(const Node* node) const = 0;
};

}  // namespace quill
