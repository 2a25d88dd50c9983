// Modules: files brought in by `use`.
#pragma once

#include <memory>
#include <set>
#include <string>
#include <vector>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

// Owns all modules for the whole session, since closures may outlive the statement that loaded them.
class Modules {
 public:
  // A new module without names, and the value whose parts are its names.
  struct Made {
    Module& module;
    Value names;
  };
  Made make(const std::string& name);

  // Marks a file as running for the lifetime of the object. Throws Error if it is running already (circular
  // use).
  class Running {
   public:
    Running(Modules& modules, std::string path, const std::string& name);
    ~Running() { modules_.running_.erase(path_); }
    Running(const Running&) = delete;
    Running& operator=(const Running&) = delete;

   private:
    Modules& modules_;
    std::string path_;
  };

 private:
  std::vector<Value> kept_;
  std::set<std::string> running_;
};

}  // namespace quill
