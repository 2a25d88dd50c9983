#include "base/trial.h"

#include <catch2/catch.hpp>
#include <csignal>
#include <stdexcept>

using namespace quill;

TEST_CASE("a trial tells what brings down a process from what ends by itself") {
  int here = 0;
  CHECK(survives([&] { here = 1; }, 5));
  CHECK(here == 0);  // what it changes stays there
  CHECK(survives([] { throw std::runtime_error("told"); }, 5));
  CHECK_FALSE(survives([] { std::raise(SIGKILL); }, 5));
  CHECK_FALSE(survives([] { std::raise(SIGSEGV); }, 5));
  CHECK_FALSE(survives(
      [] {
        for (volatile bool on = true; on;) continue;
      },
      1));
}
