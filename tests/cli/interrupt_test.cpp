// Ctrl-C, sent as a signal to the built program while it is busy.
#include <csignal>
#include <random>

#include <catch2/catch.hpp>
#include <chrono>

#include "support/effort.h"
#include "support/paths.h"
#include "support/program.h"
#include "support/terminal.h"

using namespace quill::test;

namespace {

double seconds_now() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

// Runs a script that writes the file begun when its long work starts, sends signals to it a little later, and
// reports how it ended.
struct Stopped {
  Result result;
  double seconds = 0;  // from the first signal to the end
  bool wrote_table = false;
};
Stopped stopped_while(const TemporaryFolder& folder, const std::string& before, const std::string& work,
                      int signals, double after = 0.1) {
  folder.write("a.eq", before + "\nwrite_text(\"begun\", \"\")\n" + work);
  const TemporaryFolder out_folder;
  RunningProgram program(kProgram, {"run", folder.path("a.eq"), "--out", out_folder.path()});
  for (int k = 0; k < 6000 && !out_folder.has("begun"); ++k) wait_seconds(0.01);
  wait_seconds(after);
  const double start = seconds_now();
  for (int k = 0; k < signals; ++k) {
    program.send(SIGINT);
    wait_seconds(0.1);
  }
  Stopped out;
  out.result = program.finish();
  out.seconds = seconds_now() - start;
  out.wrote_table = out_folder.has("t.csv");
  return out;
}

}  // namespace

TEST_CASE("a signal stops what built-ins do for long, and the script has failed") {
  const TemporaryFolder folder;
  std::string table = "a,b,c\n";
  for (int k = 0; k < 1'500'000; ++k) table += "1.25,2.5,3.125\n";
  folder.write("large.csv", table);
  const std::vector<std::string> works = {
      "t = load(\"large.csv\")",
      "x = random(1500, 1500)\nfor k in 1..40 { figure(\"f{k}\", formats: \"svg\") { heatmap((1..1500)^1.01, "
      "1..1500, x) } }",
      "figure(\"s\", dpi: 1200) { surface(random(1200, 1200)) }",
      "figure(\"l\", formats: [\"svg\", \"pdf\", \"png\"]) { line(random_normal(10000000)) }",
      "figure(\"p\", formats: [\"pdf\", \"png\"]) {\nfor k in 1..30 { scatter(random(1000000), "
      "random(1000000), size: 8) }\n}",
      "save(\"t.csv\", random(4000, 1000))",
      "x = 0\nwhile true { x += 1 }",
      "x = random(3000000) - 0.5\nwhile true { s = mean(x[x > 0]) }",
      "while true { w = [sin(k) * 2 + 1 for k in 1..3000000 if k % 2 == 0] }",
      "m = random(1500, 1500)\nwhile true { s = sum(m * 2 - 1, over: 1) }",
      "a = random(900, 900)\nfor k in 1..200 { b = eigen(a) }",
  };
  for (const auto& work : works) {
    const auto stopped = stopped_while(folder, "", work, 1);
    CAPTURE(work, stopped.result.err, stopped.seconds);
    CHECK(stopped.result.status == 1);
    CHECK(stopped.result.err.find("interrupted: stopped\n  a.eq, line ") != std::string::npos);
    CHECK_FALSE(stopped.wrote_table);
  }
}

TEST_CASE("a second signal ends the program at once") {
  const TemporaryFolder folder;
  // The library that packs does not look for signals. Those that arrive before the program runs are one: more
  // are sent.
  const auto stopped = stopped_while(folder, "a = random(10^8)", "save(\"a.h5\", a, compression: 9)", 6, 8);
  CAPTURE(stopped.result.err, stopped.seconds);
  CHECK(stopped.result.status == 128 + SIGINT);
}

TEST_CASE("Ctrl-C at any moment of an entry or a command leaves the session as before or after it") {
  const TemporaryFolder folder;
  folder.write("u.eq", "fn rise(t) = t + 1\n");
  const std::vector<std::string> lines = {"x = random(200000)",
                                          "save(\"a.csv\", random(300, 50))",
                                          "figure(\"f\") { line(random(2000)) }",
                                          "save(\"b.h5\", random(100000))",
                                          "use \"u.eq\"",
                                          "write_text(\"q.txt\", \"a\")",
                                          "x",
                                          ":undo",
                                          ":redo",
                                          ":edit 2 x = random(100000)",
                                          ":save w.h5",
                                          ":load w.h5",
                                          ":write s.eq",
                                          ":run s.eq",
                                          ":report r.html",
                                          ":card x",
                                          ":look f",
                                          ":vars",
                                          "?sum"};
  std::mt19937_64 random(4);
  PromptTerminal at(folder);
  at.enter("kept = 41");
  at.enter("x = 1");
  for (int k = 0; k < repeats(160); ++k) {
    const auto& line = lines[random() % lines.size()];
    CAPTURE(k, line, at.told());
    at.type(line + "\r");
    at.wait_for("\x1b[?2004l");
    wait_seconds(static_cast<double>(random() % 1000) * (k % 3 == 0 ? 5e-5 : 5e-6));
    REQUIRE(kill(at.process(), SIGINT) == 0);
    wait_seconds(0.02);
    const auto mark = "round " + std::to_string(k);
    at.type("print(\"" + mark + "\")\r");
    at.wait_for(mark + "\r");
    at.wait_for("\x1b[?2004h");
  }
  at.enter("kept + 1");
  CHECK(at.told().find("kept + 1 = 42") != std::string::npos);
  at.type(":quit\r");
  CHECK(at.finish() == 0);
}
