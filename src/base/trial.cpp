// Tested by trial_test.cpp.
#include "base/trial.h"

#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>

namespace quill {

bool survives(const std::function<void()>& work) {
  const auto child = ::fork();
  if (child < 0) return true;  // no process to be had: then the work is done without a trial
  if (child == 0) {
    for (const int failure : {SIGSEGV, SIGBUS, SIGABRT, SIGFPE, SIGILL}) std::signal(failure, SIG_DFL);
    try {
      work();
    } catch (...) { ::_exit(0); }  // an error that can be told
    ::_exit(0);
  }
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) continue;
  return !WIFSIGNALED(status);
}

}  // namespace quill
