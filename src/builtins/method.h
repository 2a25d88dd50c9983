// Functions that are parts of values, such as fit.interval and interpolant.derivative.
#pragma once

#include <functional>
#include <string>

#include "value/value.h"

namespace quill {

class Method : public LibraryObject {
 public:
  using Body = std::function<Value(Runtime&, std::span<Value>)>;
  Method(std::string name, Body body) : name_(std::move(name)), body_(std::move(body)) {}
  // `depth`: nesting depth of the values captured by the body.
  static Value make(const std::string& name, Body body, int depth = 0) {
    auto* method = new Method(name, std::move(body));
    method->depth = depth;
    return {Kind::library, method};
  }
  std::string type_name() const override { return "function"; }
  std::string describe() const override { return "built-in " + name_; }
  Value call(Runtime& runtime, std::span<Value> arguments) const override {
    return body_(runtime, arguments);
  }

 private:
  std::string name_;
  Body body_;
};

// Arguments of such a function as float64 arrays with labels. Throws an Error that contains `what` unless
// there are `count` real arguments.
std::vector<Array> real_arguments(std::string_view what, std::span<Value> arguments, std::size_t count);

}  // namespace quill
