// Progress at a terminal, which a pseudo-terminal stands in for; and none anywhere else.
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <pty.h>
#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <cmath>
#include <string>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;

namespace {

// What the program writes to a terminal as its standard error.
std::string on_terminal(const TemporaryFolder& folder, const std::vector<std::string>& arguments) {
  int mine = -1, its = -1;
  REQUIRE(openpty(&mine, &its, nullptr, nullptr, nullptr) == 0);
  const int child = fork();
  if (child == 0) {
    if (chdir(folder.path().c_str()) != 0) _exit(126);
    setenv("TERM", "xterm", 1);
    dup2(open("out.txt", O_WRONLY | O_CREAT, 0600), 1);
    dup2(its, 2);
    close(mine);
    std::vector<char*> argv = {const_cast<char*>(kProgram)};
    for (const auto& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
    argv.push_back(nullptr);
    execv(kProgram, argv.data());
    _exit(127);
  }
  close(its);
  std::string out;
  char part[4096];
  while (true) {
    const auto n = read(mine, part, sizeof part);
    if (n <= 0) break;
    out.append(part, static_cast<std::size_t>(n));
  }
  int status = 0;
  waitpid(child, &status, 0);
  CHECK(WEXITSTATUS(status) == 0);
  close(mine);
  return out;
}

}  // namespace

TEST_CASE("long loops and integrations tell how far they are, at a terminal alone") {
  const TemporaryFolder folder;
  // As many steps as this machine does in a second.
  folder.write("second.eq", "s = 0\nfor j in 1..1e8 { s += j % 7 }\n");
  const auto began = std::chrono::steady_clock::now();
  run_program(kProgram, {"run", "second.eq"}, "", folder.path());
  const auto second =
      static_cast<int>(1e8 / std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count());
  const auto loop_of = [&](double seconds) {
    return fmt::format("s = 0\nfor k in 1..1000 {{\n  for j in 1..{} {{ s += j % 7 }}\n}}\nprint(s)\n",
                       std::max(1.0, std::floor(seconds * second / 1000)));
  };
  folder.write("short.eq", "s = 0\nfor k in 1..1000 { s += k }\nprint(s)\n");
  // Ten intervals of 100 steps with four slopes each: for a long time, should the machine become faster
  // meanwhile.
  folder.write(
      "waves.eq",
      fmt::format("fn slope(t, y) {{\n  x = 0\n  for k in 1..{} {{ x += k % 7 }}\n  return -y + 0 * x\n}}\n"
                  "solution = evolve(slope, [1], 0..10 by 1, method: \"rk4\", step: 0.01)\n",
                  std::max(1, second / 500)));
  // Longer ones, should the machine have become faster since it was measured.
  std::string loop;
  for (double seconds = 6; seconds < 50 && loop.find(" %, ") == std::string::npos; seconds *= 2) {
    folder.write("loop.eq", loop_of(seconds));
    loop = on_terminal(folder, {"run", "loop.eq"});
  }
  CHECK(loop.find("\r\033[Kline 2, for k in 1..1000: ") != std::string::npos);
  CHECK(loop.find(" %, ") != std::string::npos);
  CHECK(loop.find(" left") != std::string::npos);
  CHECK(folder.read("out.txt").find("line 2") == std::string::npos);
  CHECK(on_terminal(folder, {"run", "short.eq"}).find("\033[K") == std::string::npos);
  folder.write("loop.eq", loop_of(3));
  CHECK(on_terminal(folder, {"run", "loop.eq", "--quiet"}).find("\033[K") == std::string::npos);
  const auto in_pipe = run_program(kProgram, {"run", "loop.eq"}, "", folder.path());
  CHECK(in_pipe.err.find("\033[K") == std::string::npos);
  const auto waves = on_terminal(folder, {"run", "waves.eq"});
  CHECK(waves.find("evolving up to 10: ") != std::string::npos);
}
