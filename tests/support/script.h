// Running texts of the language in memory.
#pragma once

#include <string>

#include "base/host.h"
#include "session/session.h"

namespace quill::test {

struct Ran {
  bool ok = false;
  std::string printed;
  std::string messages;
  MemoryHost host;
};

// Runs a text as the script "test.eq".
Ran run(const std::string& text, SessionOptions options = {});
// The messages of a text that must fail.
std::string error_of(const std::string& text);
// Runs a text that must succeed and gives the value of a name in it.
Value value_of(const std::string& text, const std::string& name = "result");
double number_of(const std::string& expression);

}  // namespace quill::test
