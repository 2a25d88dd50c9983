// What values and built-ins ask of the program that runs them.
#pragma once

#include <cstdint>
#include <span>
#include <string>

#include "base/error.h"

namespace quill {

class Value;
struct Node;

// What an argument is in each of many calls.
enum class Role : std::uint8_t {
  varying,  // a single number, another one in each call
  single,   // the same single number
  vector,   // the same vector of numbers
};

class Runtime {
 public:
  virtual ~Runtime() = default;
  // Calls a function value.
  virtual Value call(const Value& function, std::span<const Value> arguments) = 0;
  // Whether one call with vectors in place of the varying arguments surely gives the vector of the results
  // for each of their elements.
  virtual bool is_elementwise(const Value& function, std::span<const Role> arguments) const = 0;
  // A warning at a node of the running text, or at what runs now.
  virtual void warn(std::string message, std::string hint, const Node* node) = 0;
  // The place of a node in the running text; none for null.
  virtual Place place_of(const Node* node) const = 0;
};

}  // namespace quill
