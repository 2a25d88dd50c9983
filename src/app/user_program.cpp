#include "app/user_program.h"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>

#include <cerrno>
#include <csignal>
#include <sstream>
#include <vector>

extern char** environ;

namespace quill {

int run_for_user(const std::string& command, const std::string& file, bool shows_messages) {
  std::istringstream words(command);
  std::vector<std::string> arguments;
  for (std::string word; words >> word;) arguments.push_back(word);
  arguments.push_back(file);
  std::vector<char*> pointers;
  for (auto& argument : arguments) pointers.push_back(argument.data());
  pointers.push_back(nullptr);
  // Ctrl-C is handled by the started program.
  auto* const before = std::signal(SIGINT, SIG_IGN);
  posix_spawnattr_t attributes;
  posix_spawnattr_init(&attributes);
  sigset_t reset;
  sigemptyset(&reset);
  for (const int signal : {SIGINT, SIGPIPE, SIGXFSZ}) sigaddset(&reset, signal);
  posix_spawnattr_setsigdefault(&attributes, &reset);
  posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGDEF);
  posix_spawn_file_actions_t files;
  posix_spawn_file_actions_init(&files);
  if (!shows_messages)
    for (const int output : {1, 2})
      posix_spawn_file_actions_addopen(&files, output, "/dev/null", O_WRONLY, 0);
  pid_t child = 0;
  int status = 127 << 8;
  if (posix_spawnp(&child, pointers[0], &files, &attributes, pointers.data(), environ) == 0)
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {}
  posix_spawn_file_actions_destroy(&files);
  posix_spawnattr_destroy(&attributes);
  std::signal(SIGINT, before);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

}  // namespace quill
