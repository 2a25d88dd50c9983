// Sessions that are killed and taken up again: nothing that was accepted is lost.
#include <fmt/format.h>
#include <sys/stat.h>

#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <random>

#include "support/effort.h"
#include "support/paths.h"
#include "support/terminal.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

std::string only_journal(const TemporaryFolder& folder) {
  std::vector<std::string> found;
  for (const auto& file : fs::directory_iterator(folder.path(".local/state/eager-quill/journals")))
    found.push_back(file.path().string());
  REQUIRE(found.size() == 1);
  return found[0];
}

// Entries that take long stay long ones: their loops do not become machine code.
const std::vector<std::string> kSlowly{"--no-native"};
// Iterations that take a second or more there.
const std::string kLong = kIsSanitized ? "2e7" : "1.6e8";

// Takes the last session up, runs entries, and gives what was reported.
std::string resumed(const TemporaryFolder& folder, const std::string& entries = ":history\n",
                    const std::string& which = "--resume") {
  setenv("XDG_STATE_HOME", folder.path(".local/state").c_str(), 1);
  const auto result = run_program(kProgram, {which, kSlowly[0]}, entries, folder.path());
  unsetenv("XDG_STATE_HOME");
  return result.out + result.err;
}

}  // namespace

TEST_CASE("a killed program loses no entry that it accepted, many times") {
  const int kills = repeats(300);
  std::mt19937_64 random(21);
  const TemporaryFolder folder;
  int killed = 0;
  for (int session = 0; killed < kills; ++session) {
    fs::remove_all(folder.path(".local"));
    int accepted = 0;  // whose prompt, or any answer after it, was seen
    std::vector<std::string> args;
    for (int round = 0; round < 6; ++round) {
      Terminal at(folder, args);
      at.wait_for(fmt::format("{} ~ ", accepted + 1));
      const auto entries = random() % 5;
      for (std::size_t k = 0; k < entries; ++k) {
        at.type(fmt::format("x{0} = {0} + random(1)[1] * 0\r", accepted + 1));
        ++accepted;
        at.wait_for(fmt::format("\rx{} = {}", accepted, accepted));
      }
      // One more, which it may have got or not.
      const bool is_waiting = random() % 2 == 0;
      if (is_waiting) {
        at.type(fmt::format("y = {}\r", accepted));
        wait_seconds(0.0005 * static_cast<double>(random() % 12));
      }
      at.kill_it();
      ++killed;
      const auto told = accepted > 0 ? resumed(folder) : std::string();
      CAPTURE(session, round, accepted, told);
      for (int k = 1; k <= accepted; ++k) REQUIRE(has(told, fmt::format("  {0} ~ x{0} = {0} +", k)));
      REQUIRE_FALSE(has(told, "(an error)"));
      // What came after it is one of the accepted now.
      if (is_waiting && has(told, fmt::format("  {} ~ y = {}", accepted + 1, accepted))) break;
      if (accepted > 0) args = {"--resume"};
    }
  }
}

TEST_CASE("what was done with entries is repeated") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder, kSlowly);
    for (const char* entry :
         {"k = 3", "x = random(3)", "y = sum(x) * k", ":undo", "z = k + 1", ":edit 1 k = 4", "bad = [1][2]",
          "digits(3)", ":forget z", "name = ask(\"name\", \"Velm\")"}) {
      at.enter(entry);
      if (std::string(entry).starts_with("name")) at.enter("\"Olm\"");
    }
    at.enter("k / 3");
    at.kill_it();
  }
  const auto told = resumed(folder, ":vars\n:history\n:undo\n:undo\n:undo\nz\n");
  CAPTURE(told);
  CHECK(has(told, ": 8 entries"));
  CHECK_FALSE(has(told, "has another result"));
  CHECK(has(told, "k    : float64 4"));
  CHECK(has(told, "name : text \"Olm\""));
  CHECK(has(told, "bad = [1][2]   (an error)"));
  CHECK_FALSE(has(told, "y    :"));
  CHECK(has(told, "z = 5"));
}

TEST_CASE("what comes out differently is said") {
  const TemporaryFolder folder;
  folder.write("data.csv", "depth\n1\n2\n");
  {
    PromptTerminal at(folder, kSlowly);
    at.enter("d = load(\"data.csv\")");
    at.enter("s = sum(d.depth)");
    at.kill_it();
  }
  folder.write("data.csv", "depth\n1\n3\n");
  const auto told = resumed(folder);
  CAPTURE(told);
  CHECK(has(told, "has another result: 2 ~ s = sum(d.depth)"));
  CHECK(has(told, "s : int64 3 → 4"));
}

TEST_CASE("journals that are torn, damaged, of a newer version or of no use") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder, kSlowly);
    at.enter("a = 1");
    at.enter("b = 2");
    at.kill_it();
  }
  const auto path = only_journal(folder);
  const auto whole = read_text(path);
  const auto put = [&](const std::string& text) { std::ofstream(path, std::ios::binary) << text; };
  put(whole + "{\"event\":\"entry\",\"number\":3,\"te");
  auto told = resumed(folder, "c = 3\n");
  CHECK(has(told, "warning: the last line of the journal was incomplete"));
  CHECK(has(told, ": 2 entries"));
  CHECK(has(resumed(folder), "3 ~ c = 3"));
  // A damaged line: what stands before it goes on in a journal of its own.
  auto damaged = whole;
  damaged.replace(damaged.find("b = 2") - 12, 3, "???");
  put(damaged);
  told = resumed(folder);
  CAPTURE(told);
  CHECK(has(told, "is damaged"));
  CHECK(has(told, ": 1 entry"));
  CHECK(read_text(path) == damaged);
  fs::remove_all(folder.path(".local/state/eager-quill/journals"));
  fs::create_directories(folder.path(".local/state/eager-quill/journals"));
  put("{\"journal\":99,\"version\":\"9\"}\n");
  CHECK(has(resumed(folder, "", "--resume=1"), "was written by a newer version of the program"));
  put("nonsense\n");
  CHECK(has(resumed(folder, "", "--resume=1"), "is not a journal of a session"));
  CHECK(has(resumed(folder, "", "--resume=list"), "is not a journal of a session"));
  CHECK(has(resumed(folder, "", "--resume=7"), "there is no session 7"));
  CHECK(has(resumed(folder), "no session of "));
}

TEST_CASE("an entry in which the program ends is run again once") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder, kSlowly);
    at.enter("a = 1");
    at.type("for k in 1..1e12 { a = k }\r");
    at.wait_for("\n");
    wait_seconds(0.5);
    at.kill_it();
  }
  {
    Terminal at(folder, {"--resume"});
    wait_seconds(1);
    at.kill_it();
  }
  const auto told = resumed(folder, ":history\na\n");
  CAPTURE(told);
  CHECK(has(told, "omitted, because it did not finish: for k in 1..1e12"));
  CHECK(has(told, ": 2 entries"));
  CHECK(has(told, "a = 1"));
}

TEST_CASE("without a place for the journal the session goes on, and says so") {
  const TemporaryFolder folder;
  folder.write(".local", "a file where the folder should be");
  Terminal at(folder);
  at.wait_for("this session has no journal");
  at.wait_for("1 ~ ");
  at.enter("x = 5");
  CHECK(has(at.told(), "x = 5"));
  const TemporaryFolder other;
  {
    PromptTerminal quiet(other, {"--no-journal"});
    quiet.enter("x = 5");
  }
  CHECK_FALSE(has(resumed(other), "continuing"));
}

TEST_CASE("results of long entries are restored from saved results, when nothing has changed") {
  const TemporaryFolder folder;
  folder.write("n.csv", "v\n1\n2\n");
  const auto lasts = [](const std::string& told) {
    return has(told, "1 long entry was restored from saved results");
  };
  {
    PromptTerminal at(folder, kSlowly);
    at.enter("t = load(\"n.csv\")");
    at.enter("fn spin(n) {\ns = 0\nfor k in 1..n { s += k % 7 }\nreturn s\n}");
    at.type("x = sum(t.v) + 0 * spin(" + kLong + ")\r");
    at.wait_for("4 ~ ", 120);
    at.enter("y = x * 2");
    at.kill_it();
  }
  auto told = resumed(folder, "y\n:edit 1 t = (v: [5, 6])\ny\n");
  CAPTURE(told);
  CHECK(lasts(told));
  CHECK(has(told, "y = 6"));
  CHECK(has(told, "y = 22"));
}

TEST_CASE("saved results are not used when a file has changed") {
  const TemporaryFolder folder;
  folder.write("n.csv", "v\n1\n2\n");
  {
    PromptTerminal at(folder, kSlowly);
    at.enter("fn spin(n) {\ns = 0\nfor k in 1..n { s += k % 7 }\nreturn s\n}");
    at.type("x = sum(load(\"n.csv\").v) + 0 * spin(" + kLong + ")\r");
    at.wait_for("3 ~ ", 120);
    at.kill_it();
  }
  folder.write("n.csv", "v\n1\n3\n");
  const auto told = resumed(folder, "x\n");
  CAPTURE(told);
  CHECK_FALSE(has(told, "restored from saved results"));
  CHECK(has(told, "has another result: 2 ~ x = sum"));
  CHECK(has(told, "x = 4"));
}

TEST_CASE("an edit in which the program was killed is done once, and stays done") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder, kSlowly);
    at.enter_all(
        {"n = 1", "fn spin(n) {\ns = 0\nfor k in 1..n { s += k % 7 }\nreturn s\n}", "x = n + 0 * spin(n)"});
    at.type(":edit 1 n = 30000000\r");
    at.wait_for("\n");
    wait_seconds(0.3);
    at.kill_it();
  }
  // What was under way is repeated; then again something is entered and the program killed.
  CHECK(has(resumed(folder, "y = n + 1\n"), "the last entry had not finished and was run again"));
  const auto told = resumed(folder, "n\ny\n");
  CAPTURE(told);
  CHECK(has(told, "n = 30000000"));
  CHECK(has(told, "y = 30000001"));
  CHECK_FALSE(has(told, "has another result"));
}

TEST_CASE("what an edit asked is not asked again") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder, kSlowly);
    at.enter("k = 1");
    at.enter("name = ask(\"name\", \"Velm\"); label = \"{name} {k}\"");
    at.enter("\"Olm\"");
    at.enter(":edit 1 k = 2");
    at.enter("\"Ulm\"");
    at.kill_it();
  }
  const auto told = resumed(folder, "label\n");
  CAPTURE(told);
  CHECK(has(told, "Ulm 2"));
  CHECK_FALSE(has(told, "has another result"));
}

TEST_CASE("a resumed session reports what was restored only if it was") {
  const TemporaryFolder folder;
  {
    PromptTerminal at(folder, kSlowly);
    at.enter_all({"fn spin(n) {\ns = 0\nfor k in 1..n { s += k % 7 }\nreturn s\n}", "5"});
    at.type("x = 0 * spin(" + kLong + ")\r");
    at.wait_for("4 ~ ", 120);
    at.enter("y = that + 1");
    at.kill_it();
  }
  const auto told = resumed(folder, ":edit 2 6\ny\n");
  CAPTURE(told);
  CHECK(has(told, "1 long entry was restored from saved results"));
  CHECK(has(told, "y = 7"));
}
