// Whole sessions at a terminal: typed, written, run, reported and verified, with the same numbers throughout.
#include <sys/resource.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <filesystem>
#include <fstream>

#include "support/paths.h"
#include "support/terminal.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

Result run_in(const TemporaryFolder& folder, const std::vector<std::string>& arguments) {
  return run_program(kProgram, arguments, "", folder.path());
}

// Of an SVG without where it comes from.
std::string drawing(const std::string& svg) { return svg.substr(std::min(svg.find("<style>"), svg.size())); }

}  // namespace

TEST_CASE(
    "what was typed gives the same numbers and figures when it is written, run, reported and verified") {
  const TemporaryFolder folder;
  folder.write("casts.csv", "depth (m),name\n3.5,a\n12.25,b\n40.75,c\n");
  {
    PromptTerminal at(folder);
    at.enter_all({"cast = load(\"casts.csv\")", "noise = random_normal(3)",
                  "depth = cast.depth + 0.01 * noise", "bad = depth[9]", "mean(depth)",
                  "print(\"half {that / 2:.12f}\")", "gone = 1", ":undo", "fn twice(x) = 2 * x",
                  "figure(\"bed\", formats: \"svg\") { line(twice(depth)) }",
                  ":edit 3 depth = cast.depth + 0.02 * noise", "print(\"{sum(depth):.12f}\")",
                  ":write study.eq", ":report study.html"});
    at.type(":quit\r");
    CHECK(at.finish() == 0);
    // The figure of the session, before the runs below write theirs.
    fs::copy(folder.path("out/bed.svg"), folder.path("typed.svg"));
    const auto told = at.told();
    CAPTURE(told);
    CHECK(has(told, "re-run: 3 ~ depth"));
    const auto ran = run_in(folder, {"run", "study.eq"});
    CAPTURE(ran.err, folder.read("study.eq"));
    REQUIRE(ran.status == 0);
    CHECK_FALSE(has(folder.read("study.eq"), "bad"));
    CHECK_FALSE(has(folder.read("study.eq"), "gone"));
    // The digits at the prompt, in the run and in the report are the same.
    const auto sum = ran.out.substr(ran.out.rfind("\n", ran.out.size() - 2) + 1);
    CHECK(has(told, sum.substr(0, sum.size() - 1)));
    CHECK(has(folder.read("study.html"), sum));
  }
  CHECK(drawing(folder.read("typed.svg")) == drawing(folder.read("out/bed.svg")));
  CHECK(run_in(folder, {"verify", "out/run.json"}).status == 0);
  CHECK(run_in(folder, {"report", "study.eq", "-o", "again.md"}).status == 0);
  CHECK(run_in(folder, {"verify", "out/run.json"}).status == 0);
  CHECK(run_in(folder, {"check", "study.eq"}).status == 0);
}

TEST_CASE(
    "a transform of numbers that are asked for, one part of a script again, what is there, what is cleared") {
  const TemporaryFolder folder;
  folder.write("parts.eq", "section \"One\"\na = 1\nsection \"Two\"\nb = 2\nprint(\"two\")\n");
  PromptTerminal at(folder);
  at.type("s = ask(\"sequence\", [2, 0, 1, 3])\r");
  at.wait_for("sequence [[2, 0, 1, 3]]: ");
  at.type("[1, 2, 3, 4]\r");
  at.wait_for("s : float64 4, 1, 2, 3, 4");
  at.wait_for("2 ~ ");
  at.enter("max(abs(ifft(fft(s)) - s)) < 1e-12");
  CHECK(has(at.told(), "= true"));
  at.enter(":run parts.eq \"Two\"");
  CHECK(has(at.told(), "b = 2"));
  CHECK_FALSE(has(at.told(), "a = 1"));
  at.type(":help interpolate\r");
  at.wait_for("method");
  at.wait_for("4 ~ ");
  at.enter(":time sum(s)");
  CHECK(has(at.told(), "timed"));
  at.enter(":card s");
  at.enter(":forget s");
  at.enter(":card s");
  CHECK(has(at.told(), "error: there is no variable `s`"));
  at.enter(":nonsense");
  CHECK(has(at.told(), "unknown command :nonsense"));
  // A value without a name is shown as such, and is `that`.
  at.enter("[1, 2] * 3");
  at.enter("sum(that)");
  CHECK(has(at.told(), "sum(that) = 9"));
}

TEST_CASE("variables are kept in a file and brought back, and no other file is written over") {
  const TemporaryFolder folder;
  folder.write("mine.h5", "precious");
  {
    PromptTerminal at(folder);
    at.enter("x = [1, 2, 3]; fn f(t) = t + x[1]; curve = interpolant([1, 2], [3, 4])");
    at.enter(":save mine.h5");
    CHECK(has(at.told(), "mine.h5 exists already and does not contain saved variables"));
    CHECK(folder.read("mine.h5") == "precious");
    at.enter(":save work.h5");
    at.enter(":save work.h5");
    CHECK(has(at.told(), "2 variables saved"));
    CHECK(has(at.told(), "`curve` is not saved"));
  }
  PromptTerminal again(folder);
  again.enter(":load work.h5");
  again.enter("f(2)");
  CHECK(has(again.told(), "f(2) = 3"));
}

TEST_CASE("check and the prompt find the same mistakes") {
  const TemporaryFolder folder;
  const std::vector<std::string> mistakes = {"y = sin(1, 2)", "z = nowhere + 1",
                                             "w = interpolate([1], [2], attt: 3)", "u = 3 $ 4",
                                             "fn f(x) = x\nf(y: 1)"};
  for (const auto& mistake : mistakes) {
    folder.write("m.eq", mistake + "\n");
    const auto checked = run_in(folder, {"check", "m.eq"}).out;
    PromptTerminal at(folder, {"--no-journal"});
    at.type("\x1b[200~" + mistake + "\x1b[201~\r");
    at.wait_for("error:");
    wait_seconds(0.1);
    at.type("\r");
    at.wait_for(" ~ ");
    const auto first = checked.substr(checked.find("error: "));
    const auto message = first.substr(7, first.find('\n') - 7);
    CAPTURE(mistake, checked, at.told());
    CHECK(has(at.told(), message));
  }
}

TEST_CASE("a watched script runs again where it changed, until Ctrl-C") {
  const TemporaryFolder folder;
  folder.write("n.csv", "v\n1\n2\n");
  folder.write("s.eq",
               "t = load(\"n.csv\")\ns = sum(t.v)\nprint(\"sum\", s)\nk = 1\nprint(\"k\", k)\n"
               "figure(\"f\") { line([1, 2]) }\n");
  Terminal at(folder, {"watch", "s.eq"});
  at.wait_for("sum 3");
  at.wait_for("k 1");
  at.wait_for("6 statements ran");
  at.wait_for("waiting for a change of s.eq");
  const auto written = fs::last_write_time(folder.path("out/f.png"));
  folder.write("n.csv", "v\n1\n5\n");
  at.wait_for("sum 6");
  at.wait_for("3 statements ran");
  at.wait_for("3 reused");
  at.wait_for("waiting");
  folder.write("s.eq",
               "# a comment\nt = load(\"n.csv\")\ns = sum(t.v)\nprint(\"sum\", s)\nk = 2\nprint(\"k\", k)\n"
               "figure(\"f\") { line([1, 2]) }\n");
  at.wait_for("k 2");
  at.wait_for("4 reused");
  CHECK(fs::last_write_time(folder.path("out/f.png")) == written);
  folder.write("s.eq", "t = load(\"n.csv\"\n");
  at.wait_for("error:");
  at.wait_for("stopped by an error, waiting");
  fs::remove(folder.path("s.eq"));
  wait_seconds(0.3);
  folder.write("s.eq", "t = load(\"n.csv\")\nprint(\"back\")\n");
  at.wait_for("back");
  at.wait_for("waiting");
  at.interrupt();
  CHECK(at.finish() == 0);
  CHECK(run_in(folder, {"watch", "nothing.eq"}).status == 1);
  CHECK(run_in(folder, {"watch", "-"}).status == 2);
}

TEST_CASE("reports from the command line") {
  const TemporaryFolder folder;
  folder.write("s.eq", "print(1 + 1)\n");
  auto ran = run_in(folder, {"report", "s.eq"});
  CHECK(ran.status == 0);
  CHECK(ran.out.empty());  // what it prints stands in the report
  CHECK(has(ran.err, "wrote s.html"));
  CHECK(has(folder.read("s.html"), "2"));
  CHECK(folder.has("out/run.json"));
  CHECK(run_in(folder, {"report", "s.eq", "-o", "deep/er/s.md"}).status == 0);
  CHECK(folder.has("deep/er/s.md"));
  ran = run_in(folder, {"report", "s.eq", "-o", "s.txt"});
  CHECK(ran.status == 2);
  CHECK(has(ran.err, "the report must end in .html or .md"));
  CHECK(run_in(folder, {"report", "missing.eq"}).status == 1);
  folder.write("f.eq", "x = [1][2]\n");
  CHECK(run_in(folder, {"report", "f.eq"}).status == 1);
  CHECK(has(folder.read("f.html"), "out of range"));
}

TEST_CASE("a journal on a disk that is full says so, stays whole, and goes on when there is room") {
  const TemporaryFolder folder;
  PromptTerminal at(folder);
  at.enter("a = 1");
  const auto journal = fs::directory_iterator(folder.path(".local/state/eager-quill/journals"))->path();
  const auto set_limit = [&](rlim_t size) {
    const struct rlimit limit { size, RLIM_INFINITY };
    REQUIRE(prlimit(at.process(), RLIMIT_FSIZE, &limit, nullptr) == 0);
  };
  set_limit(fs::file_size(journal) + 20);
  at.enter("b = 2");
  at.enter("c = 3");
  CHECK(has(at.told(), "cannot write the journal"));
  CHECK(has(at.told(), "c = 3"));
  const auto kept = read_text(journal.string());
  CHECK(kept.ends_with("\n"));
  set_limit(RLIM_INFINITY);
  at.enter("d = 4");
  at.kill_it();
  Terminal again(folder, {"--resume"});
  again.wait_for(": ");
  again.wait_for(" ~ ");
  again.enter("a + b + c + d");
  CHECK(has(again.told(), "a + b + c + d = 10"));
}

TEST_CASE("words say what they need") {
  const TemporaryFolder folder;
  const auto told =
      run_program(kProgram, {"--no-config"},
                  ":edit\n:forget\n:card\n:write\n:save\n:load\n:report\n:run\n:time\n:look\n:report a.txt\n",
                  folder.path());
  for (const char* line :
       {"`:edit` needs the number of an entry\n  hint: :edit 3, or :edit 3! in an editor\n",
        "`:forget` needs the name of a variable\n  hint: :forget depth\n",
        "`:card` needs the name of a variable",
        "`:write` needs the name of a script\n  hint: :write study.eq\n", "`:save` needs", "`:load` needs",
        "`:report` needs", "`:run` needs", "`:time` needs something to time",
        "`:look` needs the name of a figure", "not a.txt\n  hint: a.html, or .md\n"}) {
    CAPTURE(line, told.err);
    CHECK(has(told.err, line));
  }
}
