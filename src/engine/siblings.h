// Functions that are defined side by side in a function and call each other. What each of them captures lies
// in one object that all of them hold, and a function is made anew when one of the others reads it: so no
// function holds itself.
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

  // What member k is from now on; its captured values without the other members.
  void define(std::size_t k, std::shared_ptr<const Function> function, std::vector<Value> captured);
  // Member k as a function; Error that names it when it is not defined yet.
  Value made(std::size_t k, const std::string& name) const;

 private:
  struct Member {
    std::shared_ptr<const Function> function;
    std::vector<Value> captured;
  };
  std::vector<Member> members_;
};

// One of them, as another one captures it; it becomes the function where that one is called.
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
