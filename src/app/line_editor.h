// Input of lines from a terminal, with history and completion, or from a pipe.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "app/completion.h"

namespace quill {

class LineEditor {
 public:
  // `history`: file that stores lines between sessions; "" for none.
  LineEditor(std::function<Completion(std::string_view before)> complete, std::string history);
  ~LineEditor();
  LineEditor(const LineEditor&) = delete;
  LineEditor& operator=(const LineEditor&) = delete;

  bool terminal() const { return terminal_; }
  // A line, or a pasted block; nothing at the end of input. `start`: initial text. `interrupted`: Ctrl-C
  // discarded the line.
  std::optional<std::string> read(const std::string& prompt, bool& interrupted,
                                  const std::string& start = "");
  void remember(const std::string& entry);

 private:
  bool terminal_;
  std::string history_;
};

}  // namespace quill
