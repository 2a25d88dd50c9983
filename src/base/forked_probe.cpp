#include "base/forked_probe.h"

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>

#include "base/interrupt.h"

namespace quill {

namespace {

[[noreturn]] void run_in_child(const std::function<void()>& work, unsigned seconds) {
  for (const int failure : {SIGSEGV, SIGBUS, SIGABRT, SIGFPE, SIGILL, SIGXCPU, SIGINT})
    std::signal(failure, SIG_DFL);
  const rlimit time{seconds, seconds};
  ::setrlimit(RLIMIT_CPU, &time);
  try {
    work();
  } catch (...) { ::_exit(0); }  // an error that can be reported
  ::_exit(0);
}

}  // namespace

bool passes_forked_probe(const std::function<void()>& work, unsigned seconds) {
  const auto child = ::fork();
  if (child < 0) return true;  // no process available: then the work is done without a trial
  if (child == 0) run_in_child(work, seconds);
  constexpr useconds_t pause = 200;
  int status = 0;
  while (true) {
    const auto ended = ::waitpid(child, &status, WNOHANG);
    if (ended == child) return !WIFSIGNALED(status);
    if (ended < 0 && errno != EINTR) return true;
    if (stop_requested()) {
      ::kill(child, SIGKILL);
      ::waitpid(child, &status, 0);
      poll_interrupt();
    }
    ::usleep(pause);
  }
}

}  // namespace quill
