// What values and built-ins ask of the program that runs them.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"

namespace quill {

class RandomStream;
class Value;
struct Node;

// What an argument is in each of many calls.
enum class Role : std::uint8_t {
  varying,  // a single number, another one in each call
  single,   // the same single number
  vector,   // the same vector of numbers
};

// How a function is called with numbers alone, kept by whoever calls it often.
struct DirectCall {
  std::vector<int> sizes{};  // of the arguments: 0 for a number, otherwise the elements of a vector
  int result_size = 0;       // the same of the result; -1: a boolean, given as 0 or 1
  void *code = nullptr, *owner = nullptr;  // the runtime's
  bool is_off = false;                     // there is none for this function
  std::vector<double> numbers{};           // what it has captured
};

class Runtime {
 public:
  virtual ~Runtime() = default;
  // Calls a function value.
  virtual Value call(const Value& function, std::span<const Value> arguments) = 0;
  // The same with numbers and vectors, one after the other, as machine code. False if there is none, or the
  // call has something to report: then call() does it all.
  virtual bool call_direct(DirectCall&, const Value&, std::span<const double>, std::span<double>) {
    return false;
  }
  // Whether one call with vectors in place of the varying arguments surely gives the vector of the results
  // for each of their elements.
  virtual bool is_elementwise(const Value& function, std::span<const Role> arguments) const = 0;
  // The random numbers of the run, to be drawn from.
  virtual RandomStream& random() = 0;
  // A warning at a node of the running text, or at what runs now.
  virtual void warn(std::string message, std::string hint, const Node* node) = 0;
  // The place of a node in the running text; none for null.
  virtual Place place_of(const Node* node) const = 0;
};

}  // namespace quill
