// Parameter studies with the built program: workers that end, limits, interruption, full disks.
#include <signal.h>

#include <catch2/catch.hpp>
#include <chrono>
#include <filesystem>
#include <random>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace sweep_program_test {

namespace {

struct Project {
  Project() {
    folder.write("peak.eq",
                 "given rate = 1\ngiven n = 1\nprint(\"case\", n)\npeak = rate * n + sum(random(3))\n"
                 "if n == 3 { save(\"a.csv\", [1, 2] * rate) }\n");
  }
  TemporaryFolder folder;
  Result quill_run(const std::vector<std::string>& arguments) const {
    return run_program(kProgram, arguments, "", folder.path());
  }
  Result sweep(std::vector<std::string> more, const std::string& script = "peak.eq") const {
    more.insert(more.begin(), {"sweep", script});
    return quill_run(more);
  }
};

const std::vector<std::string> kVaried = {"--vary", "rate=[0.5, 1]", "--vary", "n=1..20"};

std::vector<std::string> varied(std::vector<std::string> more) {
  more.insert(more.begin(), kVaried.begin(), kVaried.end());
  return more;
}

// The process of a worker that runs something; 0 for none. `folder` is its current folder.
int worker_in(const std::string& folder) {
  for (const auto& entry : fs::directory_iterator("/proc")) {
    const auto name = entry.path().filename().string();
    if (name.find_first_not_of("0123456789") != name.npos) continue;
    std::error_code error;
    if (fs::read_symlink(entry.path() / "cwd", error) != fs::path(folder)) continue;
    if (read_text((entry.path() / "cmdline").string()).find("sweep-worker") != std::string::npos)
      return std::stoi(name);
  }
  return 0;
}

}  // namespace

}  // namespace sweep_program_test

using namespace sweep_program_test;

TEST_CASE("a study gives the same table with any number of workers") {
  const Project p;
  const auto one = p.sweep(varied({"--out", "a", "--workers", "1"}));
  CHECK(one.status == 0);
  CHECK(one.out.empty());
  CHECK(has(one.err, "40 cases finished in "));
  CHECK(p.sweep(varied({"--out", "b", "--workers", "3"})).status == 0);
  CHECK(p.folder.read("a/cases.csv") == p.folder.read("b/cases.csv"));
  CHECK(p.folder.has("a/cases/000/000003/a.csv"));
  CHECK_FALSE(p.folder.has("a/cases/000/000002"));
  CHECK_FALSE(p.folder.has("a/cases/.work"));
  // A case is what a run with its inputs gives, and its files know where they come from.
  CHECK(p.quill_run({"verify", "a/cases/000/000003"}).status == 0);
  CHECK(p.quill_run({"verify", "a"}).out == "a/sweep.json: 40 of 40 cases re-ran with the same results\n");
  const auto loaded = p.quill_run({"eval", "sum(load(\"a/cases.csv\").n)"});
  CHECK(has(loaded.out, "= 420"));
  // Nothing is left to do.
  const auto again = p.sweep(varied({"--out", "a"}));
  CHECK(again.status == 0);
  CHECK(has(again.err, "40 of 40 cases were finished before"));
  CHECK(p.quill_run({"sweep", "--status", "a"}).out == "a (peak.eq): 40 of 40 cases finished; not running\n");
}

TEST_CASE("a case that fails, ends its process or exceeds its time harms no other case") {
  const Project p;
  p.folder.write(
      "bad.eq",
      "given n = 1\nif n == 2 { x = inverse(zeros(2, 2)) }\nif n == 3 { while true { n = n + 1 - 1 } }\n"
      "if n == 4 { y = zeros(1e10) }\npeak = 2 * n\n");
  const auto ran =
      p.sweep({"--vary", "n=1..6", "--limit", "1s", "--memory", "500MB", "--workers", "2"}, "bad.eq");
  CHECK(ran.status == 1);
  CHECK(has(ran.err, "6 cases finished, 3 of them failed"));
  CHECK(has(ran.err, "case 3 (n = 3): stopped after 1 s"));
  const auto table = p.folder.read("study/cases.csv");
  CHECK(has(table, "\n1,1,2,ok,\"\"\n"));
  CHECK(has(table, "\n2,2,,failed,line 2: "));
  CHECK(has(table, "\n3,3,,limit,\"stopped after 1 s\"\n"));
  CHECK(has(table, "\n4,4,,failed,\"line 4: "));
  CHECK(has(table, "\n5,5,10,ok,\"\"\n"));
  CHECK(has(table, "\n6,6,12,ok,\"\"\n"));
}

TEST_CASE("a worker that is killed costs one case, which runs again with --failed") {
  const Project p;
  p.folder.write("slow.eq", "given n = 1\ns = 0\nfor k in 1..2e6 { s += sin(k * n) }\n");
  const RunningProgram running(kProgram, {"sweep", "slow.eq", "--vary", "n=1..30", "--workers", "2"}, "",
                               p.folder.path());
  int worker = 0;
  for (int k = 0; k < 500 && worker == 0; ++k) {
    wait_seconds(0.01);
    worker = worker_in(p.folder.path());
  }
  REQUIRE(worker > 0);
  ::kill(worker, SIGKILL);
  const auto ran = const_cast<RunningProgram&>(running).finish();
  const bool hit_a_case = has(ran.err, "the process was ended by signal 9");
  CHECK(has(ran.err, hit_a_case ? "30 cases finished, 1 of them failed" : "30 cases finished in"));
  const auto again = p.sweep({"--vary", "n=1..30", "--failed"}, "slow.eq");
  CHECK(again.status == 0);
  CHECK(has(again.err, "30 cases finished in"));
}

TEST_CASE("a study that is killed or interrupted loses no finished case") {
  const Project p;
  p.folder.write(
      "slow.eq",
      "given n = 1\ns = 0\nfor k in 1..1e5 { s += sin(k * n) }\nif n % 7 == 0 { save(\"s.csv\", [s]) }\n");
  const std::vector<std::string> command = {"sweep", "slow.eq", "--vary", "n=1..200", "--out", "study"};
  auto other = command;
  other.back() = "whole";
  const auto began = std::chrono::steady_clock::now();
  REQUIRE(p.quill_run(other).status == 0);
  const std::chrono::duration<double> uninterrupted = std::chrono::steady_clock::now() - began;
  std::mt19937 random(2);
  std::size_t known = 0;
  const auto finished = [&] {
    const auto text = p.quill_run({"sweep", "--status", "study"}).out;
    const auto at = text.find(": ");
    return at == text.npos ? std::size_t{0} : static_cast<std::size_t>(std::stoul(text.substr(at + 2)));
  };
  bool has_ended = false;
  for (int round = 0; round < 8 && !has_ended; ++round) {
    RunningProgram running(kProgram, command, "", p.folder.path());
    wait_seconds(uninterrupted.count() * (0.05 + 0.005 * static_cast<double>(random() % 100)));
    running.send(round % 3 == 0 ? SIGINT : SIGKILL);
    const auto ran = running.finish();
    has_ended = ran.status == 0;
    if (round % 3 == 0 && !has_ended && has(ran.err, "finished in"))
      CHECK(has(ran.err, "of 200 cases are finished; run the same command to continue"));
    const auto now = finished();
    CHECK(now >= known);
    known = now;
  }
  CHECK(known > 0);
  CHECK(p.quill_run(command).status == 0);
  CHECK(p.folder.read("study/cases.csv") == p.folder.read("whole/cases.csv"));
  CHECK(p.folder.read("study/cases/000/000007/s.csv") == p.folder.read("whole/cases/000/000007/s.csv"));
  CHECK_FALSE(p.folder.has("study/cases/.work"));
}

TEST_CASE("a disk without room stops a study with what is finished") {
  const Project p;
  const auto limited = run_program(
      "/bin/sh",
      {"-c", "ulimit -f 8; exec \"$0\" sweep peak.eq --vary n=1..400 --workers 2 --quiet", kProgram}, "",
      p.folder.path());
  CHECK(limited.status == 1);
  CHECK(has(limited.err, "error: cannot write study/"));
  CHECK_FALSE(p.folder.has("study/sweep.json"));
  const auto rest = p.sweep({"--vary", "n=1..400"});
  CHECK(rest.status == 0);
  CHECK(has(rest.err, "of 400 cases were finished before"));
}

TEST_CASE("a case that fills the disk fails alone") {
  const Project p;
  p.folder.write("large.eq", "given n = 1\nif n == 2 { save(\"a.csv\", zeros(1000000)) }\npeak = n\n");
  const auto ran = run_program(
      "/bin/sh",
      {"-c", "ulimit -f 512; exec \"$0\" sweep large.eq --vary n=1..6 --workers 2 --quiet", kProgram}, "",
      p.folder.path());
  CHECK(ran.status == 1);
  CHECK(has(ran.err, "case 2 (n = 2): "));
  CHECK(has(ran.err, "cannot write"));
  const auto table = p.folder.read("study/cases.csv");
  CHECK(has(table, "\n2,2,,failed,"));
  for (const std::string row : {"\n1,1,1,ok", "\n3,3,3,ok", "\n6,6,6,ok"}) CHECK(has(table, row));
}

TEST_CASE("mistakes on the command line of a study are errors before it starts") {
  const Project p;
  const auto message = [&](const std::vector<std::string>& options) {
    const auto ran = p.sweep(options);
    CHECK(ran.status != 0);
    return ran.err.substr(0, ran.err.find('\n'));
  };
  CHECK(message({"--vary", "rat=1..2"}) == "error: the script has no input `rat`");
  CHECK(message({}) == "error: the study has no input to vary");
  CHECK(message({"--vary", "rate=1..2", "--set", "rate=3"}) ==
        "error: the input rate varies and is set as well");
  CHECK(has(message({"--vary", "rate"}), "error: --vary takes name=values"));
  CHECK(has(message({"--vary", "rate=1..2", "--limit", "soon"}), "error: --limit takes a time like 60s"));
  CHECK(has(message({"--vary", "rate=1..2", "--workers", "0"}), "error: --workers takes an integer from 1"));
  CHECK(message({"--vary", "rate=1 +"}).find("error: ") == 0);
  CHECK_FALSE(p.folder.has("study"));
  CHECK(has(p.quill_run({"sweep", "--status", "nowhere"}).err, "error: there is no study in nowhere"));
  CHECK(has(p.quill_run({"sweep"}).err, "error: `sweep` needs a script"));
  // A folder with other things in it stays as it is.
  p.folder.write("data/cases.csv", "a,b\n1,2\n");
  CHECK(message({"--vary", "rate=1..2", "--out", "data"}) ==
        "error: data/cases.csv exists and is not of a study");
  CHECK(p.folder.read("data/cases.csv") == "a,b\n1,2\n");
  CHECK(has(message({"--vary", "n=1..2", "--set", "rate=\xff"}), "is not UTF-8 text"));
  p.folder.write("own.eq", "given n = 1\na = [1, n]\nsave(\"values.h5\", (a: a))\n");
  CHECK(has(p.sweep({"--vary", "n=1..2", "--collect", "a", "--out", "own"}, "own.eq").err,
            "values.h5 is the name of the file of collected arrays"));
  p.folder.write("study/journal/x", "");
  CHECK(has(message({"--vary", "rate=1..2"}), "error: cannot write study/journal"));
}
