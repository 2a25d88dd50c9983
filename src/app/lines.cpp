#include "app/lines.h"

#include <poll.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>

#include <readline/readline.h>

#include "base/interrupt.h"

namespace quill {

namespace {

volatile std::sig_atomic_t line_interrupted = 0;
volatile std::sig_atomic_t reading_line = 0;

// Next key for Readline. After an interrupt it returns line ends until Readline finishes, so that later keys
// belong to the next line.
int next_key(FILE* from) {
  constexpr int pause = 50;  // polling interval in milliseconds, for an interrupt just before the wait
  pollfd wanted{fileno(from), POLLIN, 0};
  while (true) {
    if (stop_requested()) line_interrupted = 1;
    if (line_interrupted) {
      rl_replace_line("", 0);
      return '\n';
    }
    const int ready = ::poll(&wanted, 1, pause);
    if (ready < 0 && errno != EINTR) return EOF;
    if (ready < 0) rl_check_signals();
    if (ready <= 0 || stop_requested()) continue;
    unsigned char key = 0;
    const auto n = ::read(wanted.fd, &key, 1);
    if (n == 1) return key;
    if (n == 0 || (errno != EINTR && errno != EAGAIN)) return EOF;
  }
}

}  // namespace

bool is_reading_line() { return reading_line != 0; }

bool on_terminal() { return isatty(STDIN_FILENO) != 0; }

std::optional<std::string> read_terminal_line(const std::string& prompt, bool& interrupted) {
  rl_getc_function = next_key;
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
