#include "app/line_editor.h"

#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <iostream>

#include <readline/history.h>
#include <readline/readline.h>

#include "app/lines.h"
#include "base/text.h"

namespace quill {

namespace {

// Global, since Readline's callbacks take no argument.
std::function<Completion(std::string_view)> completer;
std::string text_to_begin_with;

char* next_completion(const char*, int state) {
  static std::vector<std::string> found;
  static std::size_t at = 0;
  if (state == 0) {
    at = 0;
    found.clear();
    const std::string_view before(rl_line_buffer, static_cast<std::size_t>(rl_point));
    const auto completion = completer(before);
    // Readline inserts completions at the start of its own word.
    auto word = before.size();
    while (word > 0 && std::strchr(rl_completer_word_break_characters, before[word - 1]) == nullptr) --word;
    for (const auto& text : completion.found) {
      if (word <= completion.start)
        found.push_back(std::string(before.substr(word, completion.start - word)) + text);
      else if (text.size() >= word - completion.start)
        found.push_back(text.substr(word - completion.start));
    }
    rl_completion_append_character = '\0';
  }
  return at < found.size() ? strdup(found[at++].c_str()) : nullptr;
}

char** complete(const char* text, int, int) {
  rl_attempted_completion_over = 1;
  return rl_completion_matches(text, next_completion);
}

int put_start() {
  rl_insert_text(text_to_begin_with.c_str());
  return 0;
}

}  // namespace

LineEditor::LineEditor(std::function<Completion(std::string_view)> complete_line, std::string history)
    : terminal_(on_terminal()) {
  if (!terminal_) return;
  completer = std::move(complete_line);
  history_ = std::move(history);
  rl_readline_name = "eager-quill";
  rl_attempted_completion_function = complete;
  static constexpr char breaks[] = " \t\n\"\\'`@$><=;|&{(+-*/^%,[.?#";
  rl_completer_word_break_characters = breaks;
  // Completion closes quotes itself.
  rl_basic_quote_characters = "";
  // Pasted text is one entry.
  rl_variable_bind("enable-bracketed-paste", "on");
  using_history();
  // Keeps entries of several lines together in the history file, each after a time stamp.
  history_comment_char = '\x1e';
  history_write_timestamps = 1;
  stifle_history(5000);
  if (!history_.empty()) read_history(history_.c_str());
}

LineEditor::~LineEditor() { completer = nullptr; }

std::optional<std::string> LineEditor::read(const std::string& prompt, bool& interrupted,
                                            const std::string& start) {
  interrupted = false;
  std::string line;
  if (!terminal_) {
    if (!std::getline(std::cin, line)) return std::nullopt;
    return line;
  }
  text_to_begin_with = start;
  rl_startup_hook = start.empty() ? nullptr : put_start;
  auto got = read_terminal_line(prompt, interrupted);
  rl_startup_hook = nullptr;
  return got;
}

void LineEditor::remember(const std::string& entry) {
  if (!terminal_ || trim(entry).empty()) return;
  add_history(entry.c_str());
  // Appends, since several prompts may share the file.
  if (!history_.empty() && append_history(1, history_.c_str()) != 0) write_history(history_.c_str());
}

}  // namespace quill
