// Files in use.
#pragma once

#include <memory>
#include <set>
#include <string>
#include <vector>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

// Every module that was made is kept, since closures of it may live on.
class Modules {
 public:
  // A new module without names, and the value that gives its names as parts.
  struct Made {
    Module& module;
    Value names;
  };
  Made make(const std::string& name);

  // Notes that a file runs, for as long as this lives. Error when it does already.
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
