// The program at a terminal, for which a pseudo-terminal stands in.
#pragma once

#include <string>
#include <vector>

#include "support/program.h"

namespace quill::test {

class Terminal {
 public:
  // Its home is the folder, where it stands as well.
  Terminal(const TemporaryFolder& folder, const std::vector<std::string>& arguments = {},
           const std::string& term = "xterm");
  ~Terminal();
  Terminal(const Terminal&) = delete;
  Terminal& operator=(const Terminal&) = delete;

  void type(const std::string& text) const;
  // Reads until this was reported behind what was waited for before; fails the test after `seconds`.
  void wait_for(const std::string& text, double seconds = 30);
  // Types an entry and waits for the next prompt.
  void enter(const std::string& text);
  void interrupt() const { type("\x03"); }
  void kill_it();
  // Waits for its end; the exit status, or 128 and the signal.
  int finish(double seconds = 30);
  // All that it wrote so far, without what only moves the cursor.
  std::string told() const;
  int process() const { return child_; }

 private:
  bool read_some(double seconds);

  int master_ = -1, child_ = -1;
  std::string told_;
  std::size_t seen_ = 0;
};

// One that has come to its first prompt.
class PromptTerminal : public Terminal {
 public:
  explicit PromptTerminal(const TemporaryFolder& folder, const std::vector<std::string>& arguments = {})
      : Terminal(folder, arguments) {
    wait_for("\x1b[?2004h");
  }
  // Enters one after the other.
  void enter_all(const std::vector<std::string>& entries) {
    for (const auto& entry : entries) enter(entry);
  }
};

}  // namespace quill::test
