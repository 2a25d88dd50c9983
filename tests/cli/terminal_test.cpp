// The prompt at a terminal: keys in, what is there out.
#include "support/terminal.h"

#include <catch2/catch.hpp>

using namespace quill::test;

TEST_CASE("lines are completed: names, parts, arguments, choices, files, words") {
  const TemporaryFolder folder;
  folder.write("soundings.csv", "depth\n1\n2\n");
  PromptTerminal at(folder);
  at.enter("lake = (deepest: 38.2, name: \"Velm\")");
  at.type("lake.dee\t\r");
  at.wait_for("lake.deepest = 38.2");
  at.wait_for("3 ~ ");
  at.type("interpolant([1, 2], [3, 4], meth\t\"line\t)(1.5)\r");
  at.wait_for("3.5");
  at.wait_for("4 ~ ");
  at.type("load(\"soun\t).depth\r");
  at.wait_for("  1  2");
  at.wait_for("5 ~ ");
  at.type(":his\t\r");
  at.wait_for("1 ~ lake");
  at.type(":quit\r");
  CHECK(at.finish() == 0);
}

TEST_CASE("entries of several lines show what is open; a pasted block is one entry") {
  const TemporaryFolder folder;
  PromptTerminal at(folder);
  at.type("x = [1,\r");
  at.wait_for("[ … ");
  at.type("2]\r");
  at.wait_for("x : float64 2");
  at.wait_for("2 ~ ");
  at.type("fn area(r) {\r");
  at.wait_for("{ … ");
  at.type("return pi * r^2\r");
  at.wait_for("{ … ");
  at.type("}\r");
  at.wait_for("3 ~ ");
  at.type("\x1b[200~y = 3\nz = y + 1\nw = z * 2\x1b[201~\r");
  at.wait_for("w = 8");
  at.wait_for("4 ~ ");
  at.type(":history\r");
  at.wait_for("3 ~ y = 3 …");
}

TEST_CASE("Ctrl-C stops a computation at once and keeps every variable; Ctrl-D loses nothing") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder);
    at.enter("kept = 7");
    at.type("s = 0; while true { s = s + 1 }\r");
    at.wait_for("\n");
    wait_seconds(0.5);
    at.interrupt();
    at.wait_for("interrupted");
    at.wait_for("3 ~ ");
    at.enter("kept + 1");
    CHECK(has(at.told(), "kept + 1 = 8"));
    // A line that is dropped is no entry.
    at.type("half a li");
    at.interrupt();
    at.wait_for("4 ~ ");
    at.type("\x04");
    CHECK(at.finish() == 0);
  }
  Terminal again(folder, {"--resume"});
  again.wait_for(": 3 entries");
  again.wait_for("omitted, because it did not finish: s = 0; while true");
  again.wait_for("4 ~ ");
  again.enter("kept");
  CHECK(has(again.told(), "kept = 7"));
}

TEST_CASE("an entry is edited on the line; the history of lines outlives the program") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder);
    at.enter("k = 3");
    at.enter("y = k * 2");
    at.type(":edit 1\r");
    at.wait_for("k = 3");
    at.type(
        "\x7f"
        "5\r");  // the 3 becomes a 5
    at.wait_for("y : float64 6 → 10");
    at.wait_for("3 ~ ");
    at.type(":quit\r");
    CHECK(at.finish() == 0);
  }
  PromptTerminal again(folder);
  again.enter(":vars");
  CHECK(has(again.told(), "no variables yet"));  // each session starts empty
  again.type("\x1b[A\x1b[A\x1b[A\x1b[A\r");      // four up: behind :vars, :quit and :edit 1
  again.wait_for("k");
  again.wait_for("2 ~ ");
}

TEST_CASE("two prompts in one folder have two journals") {
  const TemporaryFolder folder;
  Terminal one(folder), two(folder);
  one.wait_for("1 ~ ");
  two.wait_for("1 ~ ");
  one.enter("a = 1");
  two.enter("b = 2");
  one.kill_it();
  two.kill_it();
  const auto list = [&] {
    Terminal at(folder, {"--resume=list"});
    at.finish();
    return at.told();
  }();
  CHECK(has(list, "a = 1"));
  CHECK(has(list, "b = 2"));
  Terminal first(folder, {"--resume=1"});
  first.wait_for(": 1 entry");
  Terminal second(folder, {"--resume=2"});
  second.wait_for(": 1 entry");
  // One that is open is not taken up by another.
  Terminal third(folder, {"--resume=1"});
  CHECK(third.finish() == 1);
  CHECK(has(third.told(), "another prompt continues this session"));
}
