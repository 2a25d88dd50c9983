#include "app/lines.h"

#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstdlib>

#include <readline/readline.h>

#include "base/interrupt.h"

namespace quill {

namespace {

volatile std::sig_atomic_t line_interrupted = 0;
volatile std::sig_atomic_t reading_line = 0;

int drop_line() {
  if (line_interrupted || stop_requested()) {
    line_interrupted = 1;
    rl_replace_line("", 0);
    rl_done = 1;
  }
  return 0;
}

}  // namespace

bool is_reading_line() { return reading_line != 0; }

bool on_terminal() { return isatty(STDIN_FILENO) != 0; }

std::optional<std::string> read_terminal_line(const std::string& prompt, bool& interrupted) {
  // The event hook, polled while Readline waits for a key, is what makes a dropped line end at once.
  rl_signal_event_hook = drop_line;
  rl_event_hook = drop_line;
  std::fflush(stdout);
  clear_interrupt();
  line_interrupted = 0;
  reading_line = 1;
  char* got = readline(prompt.c_str());
  reading_line = 0;
  interrupted = line_interrupted != 0;
  if (interrupted) {
    line_interrupted = 0;
    clear_interrupt();
    std::free(got);
    return std::string();
  }
  if (got == nullptr) return std::nullopt;
  std::string line = got;
  std::free(got);
  return line;
}

}  // namespace quill
