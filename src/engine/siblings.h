// Mutually recursive local functions. The captured values of all functions of a block are owned by one
// Siblings object; a function captures its siblings as references to that object and materialises them as
// function values when it is called. So no function value owns itself through another one.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

class Siblings : public LibraryObject {
 public:
  std::string type_name() const override { return "siblings"; }
  std::string describe() const override { return "functions defined side by side"; }

  // Sets member k; `captured` has none in the slots of siblings.
  void define(std::size_t k, std::shared_ptr<const Function> function, std::vector<Value> captured);
  // Member k as a function value; throws Error if it is not defined yet.
  Value made(std::size_t k, const std::string& name) const;

 private:
  struct Member {
    std::shared_ptr<const Function> function;
    std::vector<Value> captured;
  };
  std::vector<Member> members_;
};

// Captured reference to a sibling.
class Sibling : public LibraryObject {
 public:
  Sibling(boost::intrusive_ptr<const Siblings> all, std::size_t member, std::string name)
      : all_(std::move(all)), member_(member), name_(std::move(name)) {}
  std::string type_name() const override { return "function"; }
  std::string describe() const override { return "the function " + name_; }
  Value function() const { return all_->made(member_, name_); }

 private:
  boost::intrusive_ptr<const Siblings> all_;
  std::size_t member_;
  std::string name_;
};

}  // namespace quill
