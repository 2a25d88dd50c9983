// Differential equations as a script asks for them.
#include <catch2/catch.hpp>
#include <cstdlib>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

// Counts what the whole program asks of the heap. The sanitizers have their own heap.
#ifndef __SANITIZE_ADDRESS__
namespace {
long heap_calls = 0;
}
extern "C" void* __libc_malloc(std::size_t size);
extern "C" void* malloc(std::size_t size) {
  ++heap_calls;
  return __libc_malloc(size);
}

TEST_CASE("the right side of a differential equation costs no allocation for states of up to 8 numbers") {
  const auto calls_for = [](const std::string& state, const std::string& f, int steps) {
    const auto text = "r = evolve(" + f + ", " + state + ", over: (0, 1), method: \"rk4\", step: 1 / " +
                      std::to_string(steps) + ")";
    const long before = heap_calls;
    REQUIRE(run(text).ok);
    return heap_calls - before;
  };
  for (const auto& [state, f] :
       std::vector<std::array<std::string, 2>>{{"1", "fn(t, y) = -y"},
                                               {"[1, 0]", "fn(t, y) = [y[2], -y[1]]"},
                                               {"[1, 0 | 0, 1]", "fn(t, y) = -2 * y"},
                                               {"zeros(8)", "fn(t, y) = sin(t) * y - 0.5 * y^2"}}) {
    CAPTURE(f);
    calls_for(state, f, 1000);
    // Twice the steps: the results grow a few times more, and nothing else.
    CHECK(calls_for(state, f, 2000) - calls_for(state, f, 1000) < 40);
  }
}
#endif

TEST_CASE("evolve takes states of any shape and gives one row for each time") {
  CHECK(run("r = evolve(fn(t, y) = -y, 1, over: 0..1 by 0.25)\nprint(shape(r.t), shape(r.y))").printed ==
        "  5   5\n");
  CHECK(run("r = evolve(fn(t, m) = [0, 1 | -1, 0] *+ m, identity(2), over: [0, pi / 2], relative: 1e-9)\n"
            "print(shape(r.y), near(r.y[2, .., ..], [0, 1 | -1, 0], absolute: 1e-7))")
            .printed == "  2  2  2 true\n");
  CHECK(run("r = evolve(fn(t, y) = y[..] .* 0, [1, 2, 3], over: (0, 1))").ok == false);
  // The state that a function keeps stays as it was.
  CHECK(run("kept = list()\nr = evolve(fn(t, y) { kept = 1\n  return -y }, [1, 2], over: (0, "
            "1))\nprint(r.steps > 2)")
            .printed == "true\n");
  CHECK(run("print(type(evolve(fn(t, y) = 0 * y, 5, over: (0, 1)).stopped_at))").printed == "none\n");
}

TEST_CASE("evolve says what a right side did wrong") {
  check_errors(
      {{"evolve(fn(t, y) = [y, y], 1, over: (0, 1))",
        "evolve: `f` gave a vector of 2 float64, where a single number is wanted", ""},
       {"evolve(fn(t, y) = 1, [1, 2], over: (0, 1))",
        "evolve: `f` gave the number 1, where an array of shape 2 is wanted", ""},
       {"evolve(fn(t, y) = \"a\", 1, over: (0, 1))",
        "evolve: `f` gave the text \"a\", where a single number is wanted", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), method: \"euler\")",
        "evolve: `method` is \"dormand_prince\", \"rk4\", \"bulirsch_stoer\", \"rosenbrock\" or "
        "\"backward_euler\", not \"euler\"",
        ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1, 2))",
        "evolve: `over` is a range or vector of times, or two numbers (start, end)", "over: 0..10 by 0.1"},
       {"evolve(fn(t, y) = -y, 1, over: 3)", "evolve: `over` is a vector, not a single number", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), relative: 0)", "evolve: `relative` is a number above 0", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), jacobian: fn(t, y) = -1)",
        "evolve: `jacobian` goes with the methods \"rosenbrock\" and \"backward_euler\"", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), method: \"rosenbrock\", jacobian: fn(t, y) = [1, 2])",
        "evolve: `jacobian` gave a vector of 2 float64, where a single number is wanted", ""},
       {"evolve(fn(t, y) = 0 * log(0) + y, 1, over: (0, 1))",
        "the right side gives nan for component 1 at the start", ""},
       {"evolve(fn(t, y) = nosuch(y), 1, over: (0, 1))", "the name `nosuch` is not known", ""},
       {"evolve(fn(y) = y, 1, over: (0, 1))", "fn(y) takes 1 argument, and 2 are given", ""}});
}
