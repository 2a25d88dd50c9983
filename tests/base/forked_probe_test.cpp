#include "base/forked_probe.h"

#include <catch2/catch.hpp>
#include <csignal>
#include <stdexcept>

using namespace quill;

TEST_CASE("a trial reports what brings down a process from what ends by itself") {
  int here = 0;
  CHECK(passes_forked_probe([&] { here = 1; }, 5));
  CHECK(here == 0);  // what it changes stays there
  CHECK(passes_forked_probe([] { throw std::runtime_error("told"); }, 5));
  CHECK_FALSE(passes_forked_probe([] { std::raise(SIGKILL); }, 5));
  CHECK_FALSE(passes_forked_probe([] { std::raise(SIGSEGV); }, 5));
  CHECK_FALSE(passes_forked_probe(
      [] {
        for (volatile bool on = true; on;) continue;
      },
      1));
}
