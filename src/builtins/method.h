// A function that belongs to a value made by a built-in: fit.interval, interpolant.derivative.
#pragma once

#include <functional>
#include <string>

#include "value/value.h"

namespace quill {

class Method : public LibraryObject {
 public:
  using Body = std::function<Value(Runtime&, std::span<Value>)>;
  Method(std::string name, Body body) : name_(std::move(name)), body_(std::move(body)) {}
  // `depth` of the values that the body keeps.
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

// The arguments of such a function as float64 arrays with their labels. Error unless there are `count` of
// real numbers; `what` names the function in it.
std::vector<Array> real_arguments(std::string_view what, std::span<Value> arguments, std::size_t count);

}  // namespace quill
