// Running texts of the language in memory.
#pragma once

#include <array>
#include <memory>
#include <string>
#include <vector>

#include "app/text_output.h"
#include "base/host.h"
#include "session/session.h"

namespace quill::test {

// A session that reports as text what the program would tell.
class TestSession : private TextOutput, public Session {
 public:
  TestSession(Host& host, const SessionOptions& options) : TextOutput(host), Session(host, *this, options) {}
};

// One as at the prompt.
struct PromptSession {
  PromptSession();
  // The value of a name in one line; "none" when it has none.
  std::string shown(const std::string& name) const;
  SessionOptions options;
  MemoryHost host;
  std::unique_ptr<TestSession> session;
};

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

// Expressions and what they print in one line.
void check_calls(const std::vector<std::array<std::string, 2>>& rows);
// Programs, the first line of their error, and its hint ("" for none).
void check_errors(const std::vector<std::array<std::string, 3>>& rows);

}  // namespace quill::test
