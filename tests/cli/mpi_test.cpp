// Parameter studies over MPI, on one machine with more ranks than processors.
#include <signal.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <cstdlib>
#include <filesystem>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace mpi_program_test {

namespace {

const std::string kMpiProgram = std::string(kProgram) + "-mpi";
const char* const kLauncher = "/usr/bin/mpirun";

// As root, which the launcher does not take without being told.
std::vector<std::string> launched(int ranks, std::vector<std::string> words) {
  ::setenv("OMPI_ALLOW_RUN_AS_ROOT", "1", 1);
  ::setenv("OMPI_ALLOW_RUN_AS_ROOT_CONFIRM", "1", 1);
  words.insert(words.begin(), {"--oversubscribe", "-n", std::to_string(ranks)});
  return words;
}

// The program on so many ranks.
std::vector<std::string> on_ranks(int ranks, std::vector<std::string> words) {
  words.insert(words.begin(), kMpiProgram);
  return launched(ranks, std::move(words));
}

bool is_there() {
  if (!fs::exists(kMpiProgram) || !fs::exists(kLauncher)) {
    WARN("skipped: MPI is not installed, or the program was built without it");
    return false;
  }
  const auto tried = run_program(kLauncher, launched(2, {"true"}));
  if (tried.status != 0) WARN("skipped: MPI cannot start programs here: " + tried.err);
  return tried.status == 0;
}

int rank_process(const std::string& folder, int rank) {
  for (const auto& entry : fs::directory_iterator("/proc")) {
    std::error_code error;
    if (fs::read_symlink(entry.path() / "cwd", error) != fs::path(folder)) continue;
    if (has(read_text((entry.path() / "cmdline").string()), "sweep-worker")) continue;
    if (has(read_text((entry.path() / "environ").string()), "OMPI_COMM_WORLD_RANK=" + std::to_string(rank)))
      return std::stoi(entry.path().filename().string());
  }
  return 0;
}

}  // namespace

}  // namespace mpi_program_test

using namespace mpi_program_test;

TEST_CASE("a study over MPI gives the table of a study on this machine") {
  if (!is_there()) return;
  const TemporaryFolder folder;
  folder.write("peak.eq",
               "given rate = 1\ngiven n = 1\npeak = rate * n + sum(random(3))\nexpect n != 7\n"
               "if n == 3 { save(\"a.csv\", [1, 2] * rate) }\nif n == 5 { while true { n = n + 1 - 1 } }\n");
  const std::vector<std::string> study = {"sweep",   "peak.eq", "--vary", "rate=[0.5, 1]", "--vary",
                                          "n=1..12", "--limit", "1s",     "--out"};
  auto local = study;
  local.emplace_back("local");
  CHECK(run_program(kProgram, local, "", folder.path()).status == 1);
  for (const int ranks : {1, 2, 8}) {
    auto words = study;
    const auto out = "ranks" + std::to_string(ranks);
    words.push_back(out);
    const auto ran = run_program(kLauncher, on_ranks(ranks, words), "", folder.path());
    CAPTURE(ranks, ran.err);
    CHECK(has(ran.err, "24 cases finished, 4 of them failed"));
    CHECK(folder.read(out + "/cases.csv") == folder.read("local/cases.csv"));
    CHECK(folder.has(out + "/cases/000/000015/a.csv"));
  }
  CHECK(has(run_program(kLauncher, on_ranks(2, {"run", "peak.eq"}), "", folder.path()).err,
            "this program runs parameter studies only"));
}

TEST_CASE("a study over MPI that loses a rank ends with a message and continues") {
  if (!is_there()) return;
  const TemporaryFolder folder;
  folder.write("slow.eq", "given n = 1\ns = 0\nfor k in 1..1e6 { s += sin(k * n) }\n");
  const std::vector<std::string> study = {"sweep", "slow.eq", "--vary", "n=1..150", "--out", "study"};
  RunningProgram running(kLauncher, on_ranks(3, study), "", folder.path());
  int rank = 0;
  for (int k = 0; k < 400 && rank == 0; ++k) {
    wait_seconds(0.025);
    if (folder.has("study/journal") && folder.read("study/journal").size() > 2000)
      rank = rank_process(folder.path(), 2);
  }
  REQUIRE(rank > 0);
  ::kill(rank, SIGKILL);
  const auto ran = running.finish();
  CHECK(ran.status != 0);
  CHECK(has(ran.err, "of 150 cases are finished; run the same command to continue"));
  const auto again = run_program(kLauncher, on_ranks(3, study), "", folder.path());
  CHECK(again.status == 0);
  CHECK(has(again.err, "of 150 cases were finished before"));
  CHECK(has(again.err, "150 cases finished in"));
}
