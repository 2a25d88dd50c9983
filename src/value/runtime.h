// Services of the running program for values and built-ins.
#pragma once

#include <algorithm>
#include <array>
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
  static constexpr std::size_t kMostCaptured = 16;
  Sizes sizes{};
  int result_size = 0;                     // the same for the result; -1: a boolean as 0 or 1
  void *code = nullptr, *owner = nullptr;  // owned by the runtime
  bool is_off = false;                     // the function has no such form
  std::size_t captured = 0;
  std::array<double, kMostCaptured> numbers{};  // captured
};

class Runtime {
 public:
  virtual ~Runtime() = default;
  // Calls a function value.
  virtual Value call(const Value& function, std::span<const Value> arguments) = 0;
  // Calls it natively with numbers and vectors concatenated. Returns false if that is not possible, or the
  // call has something to report; call() then does everything.
  virtual bool call_direct(DirectCall&, const Value&, std::span<const double>, std::span<double>) {
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
