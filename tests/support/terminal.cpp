#include "support/terminal.h"
#include "support/paths.h"

#include <poll.h>
#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <csignal>
#include <regex>

namespace quill::test {

namespace {
double now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}
}  // namespace

Terminal::Terminal(const TemporaryFolder& folder, const std::vector<std::string>& arguments,
                   const std::string& term) {
  struct winsize size {};
  size.ws_row = 40;
  size.ws_col = 100;
  child_ = forkpty(&master_, nullptr, nullptr, &size);
  REQUIRE(child_ >= 0);
  if (child_ == 0) {
    if (chdir(folder.path().c_str()) != 0) _exit(126);
    setenv("TERM", term.c_str(), 1);
    setenv("HOME", folder.path().c_str(), 1);
    unsetenv("XDG_STATE_HOME");
    unsetenv("XDG_CONFIG_HOME");
    std::vector<char*> argv = {const_cast<char*>(kProgram)};
    for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
    argv.push_back(nullptr);
    execv(kProgram, argv.data());
    _exit(127);
  }
}

Terminal::~Terminal() {
  if (child_ > 0) {
    kill(child_, SIGKILL);
    waitpid(child_, nullptr, 0);
  }
  if (master_ >= 0) close(master_);
}

void Terminal::type(const std::string& text) const {
  for (std::size_t at = 0; at < text.size();) {
    const auto n = write(master_, text.data() + at, text.size() - at);
    if (n <= 0) return;
    at += static_cast<std::size_t>(n);
  }
}

bool Terminal::read_some(double seconds) {
  struct pollfd waiting {
    master_, POLLIN, 0
  };
  if (poll(&waiting, 1, static_cast<int>(1000 * seconds)) <= 0) return false;
  char part[4096];
  const auto n = read(master_, part, sizeof part);
  if (n <= 0) return false;
  told_.append(part, static_cast<std::size_t>(n));
  return true;
}

void Terminal::wait_for(const std::string& text, double seconds) {
  const double end = now() + seconds;
  while (true) {
    if (const auto at = told_.find(text, seen_); at != std::string::npos) {
      seen_ = at + text.size();
      return;
    }
    const bool more = now() < end && read_some(std::max(0.01, end - now()));
    CAPTURE(text, told_);
    if (!more) REQUIRE(told_.find(text, seen_) != std::string::npos);
  }
}

void Terminal::enter(const std::string& text) {
  // What switches the pasting of blocks on and off stands around every line that is read.
  type(text + "\r");
  wait_for("\x1b[?2004l");
  wait_for("\x1b[?2004h");
}

void Terminal::kill_it() {
  kill(child_, SIGKILL);
  waitpid(child_, nullptr, 0);
  child_ = -1;
}

int Terminal::finish(double seconds) {
  const double end = now() + seconds;
  int status = 0;
  while (waitpid(child_, &status, WNOHANG) == 0) {
    REQUIRE(now() < end);
    read_some(0.02);
  }
  while (read_some(0.02)) {}
  child_ = -1;
  const int result = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  if (result != 0) UNSCOPED_INFO(told());  // names the cause where the test expects success
  return result;
}

std::string Terminal::told() const {
  static const std::regex moves("\x1b\\[[0-9;?]*[a-zA-Z]|\r");
  return std::regex_replace(told_, moves, "");
}

}  // namespace quill::test
