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

TEST_CASE(
    "the right-hand side of a differential equation costs no allocation for states of up to 8 numbers") {
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
    calls_for(state, f, 4000);
    // Twice the steps: the results grow a few times more, and nothing else. The function has become native
    // code before either ends.
    CHECK(calls_for(state, f, 16000) - calls_for(state, f, 8000) < 40);
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

TEST_CASE("evolve notes events by their names, and stops at those of until") {
  const std::string throw_up =
      "fn ball(t, y) = [y[2], -9.81]\n"
      "r = evolve(ball, [0, 10], over: (0, 10), until: (ground: (fn(t, y) = y[1], \"falling\"), "
      "lost: fn(t, y) = y[1] > 100), events: (top: fn(t, y) = y[2], half: fn(t, y) = y[1] - 2.5))\n";
  const auto check = [&](const std::string& what) {
    INFO(what);
    CHECK(run(throw_up + "print(" + what + ")").printed == "true\n");
  };
  check("r.stopped_by == \"ground\"");
  check("near(r.stopped_at, 20 / 9.81)");
  check("near(r.events.top.t, [10 / 9.81])");
  check("near(r.events.top.y[1, 1], 100 / (2 * 9.81))");
  check("length(r.events.half.t) == 2 and length(r.events.lost.t) == 0");
  check("near(r.events.half.y[.., 1], [2.5, 2.5], absolute: 1e-6)");
  check("near(r.events.ground.t, [r.stopped_at])");
  CHECK(run("r = evolve(fn(t, y) = 1, 0, over: 0..5, until: fn(t, y) = y - 3)\nprint(near(r.y, "
            "0..3))\nprint(r.stopped_by)")
            .printed == "true\nuntil\n");
  check_errors({{"evolve(fn(t, y) = -y, 1, over: (0, 1), events: fn(t, y) = y)",
                 "evolve: `events` must be a record of functions, which names them",
                 "events: (top: fn(t, y) = y[2], ground: (fn(t, y) = y[1], \"falling\"))"},
                {"evolve(fn(t, y) = -y, 1, over: (0, 1), until: (fn(t, y) = y, \"down\"))",
                 "evolve: `until` has a direction that is neither \"rising\" nor \"falling\"",
                 "events: (top: fn(t, y) = y[2], ground: (fn(t, y) = y[1], \"falling\"))"},
                {"evolve(fn(t, y) = -y, 1, over: (0, 1), until: 3)",
                 "evolve: `until` must be a function of t and y, not the number 3",
                 "events: (top: fn(t, y) = y[2], ground: (fn(t, y) = y[1], \"falling\"))"},
                {"evolve(fn(t, y) = -y, 1, over: (0, 1), limit: 10, step: 1e-3, method: \"rk4\")",
                 "steps of 0.001 need 1000 steps up to the end, and the limit is 10 evaluations",
                 "use a longer step, or an adaptive method"},
                {"evolve(fn(t, y) = -y, [1, 2], over: (0, 1), absolute: [1, 2, 3])",
                 "evolve: `absolute` must be a single number or have the shape of the state, 2; not 3", ""}});
}

TEST_CASE("states may be complex, and tolerances their own for each component") {
  for (const char* method : {"dormand_prince", "bulirsch_stoer", "rosenbrock"})
    CHECK(run(std::string(
                  "r = evolve(fn(t, y) = complex(0, 2) * y, complex(1), over: 0..1 by 0.25, relative: 1e-9, "
                  "method: \"") +
              method + "\")\nprint(near(r.y, exp(complex(0, 2) * r.t), absolute: 1e-7), type(r.y))")
              .printed == "true complex128\n");
  CHECK(run("r = evolve(fn(t, y) = [complex(0, 1) * y[2], y[1]], [complex(1), 0], over: (0, 1))\n"
            "print(shape(r.y)[2])")
            .printed == "2\n");
  CHECK(run("r = evolve(fn(t, y) = [-y[1], -2 * y[2]], [1, 1e-12], over: 0..1 by 0.5, absolute: [1e-9, "
            "1e-21])\n"
            "print(near(r.y[.., 2], 1e-12 * exp(-2 * r.t), relative: 1e-5))")
            .printed == "true\n");
}

TEST_CASE("evolve says what a right side did wrong") {
  check_errors(
      {{"evolve(fn(t, y) = [y, y], 1, over: (0, 1))",
        "evolve: `f` returned a vector of 2 float64; it must return a single number", ""},
       {"evolve(fn(t, y) = 1, [1, 2], over: (0, 1))",
        "evolve: `f` returned the number 1; it must return an array of shape 2", ""},
       {"evolve(fn(t, y) = \"a\", 1, over: (0, 1))",
        "evolve: `f` returned the text \"a\"; it must return a single number", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), method: \"euler\")",
        "evolve: `method` must be one of \"dormand_prince\", \"rk4\", \"bulirsch_stoer\", \"rosenbrock\" or "
        "\"backward_euler\", not \"euler\"",
        ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1, 2))",
        "evolve: `over` must be a range or vector of times, or a pair (start, end)", "over: 0..10 by 0.1"},
       {"evolve(fn(t, y) = -y, 1, over: 3)", "evolve: `over` must be a vector, not a single number", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), relative: 0)", "evolve: `relative` must be a number above 0",
        ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), jacobian: fn(t, y) = -1)",
        "evolve: `jacobian` requires method \"rosenbrock\" or \"backward_euler\"", ""},
       {"evolve(fn(t, y) = -y, 1, over: (0, 1), method: \"rosenbrock\", jacobian: fn(t, y) = [1, 2])",
        "evolve: `jacobian` returned a vector of 2 float64; it must return a single number", ""},
       {"evolve(fn(t, y) = 0 * log(0) + y, 1, over: (0, 1))",
        "the right-hand side is nan for component 1 at the start", ""},
       {"evolve(fn(t, y) = nosuch(y), 1, over: (0, 1))", "unknown name `nosuch`", ""},
       {"evolve(fn(y) = y, 1, over: (0, 1))", "fn(y) takes 1 argument, and 2 are given", ""}});
}
