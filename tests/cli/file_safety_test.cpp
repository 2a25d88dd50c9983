// Files that the program writes and reads: whose they are, what they are, what is left behind.
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>
#include <catch2/catch.hpp>

#include <chrono>
#include <filesystem>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

Result quill_run(const std::vector<std::string>& arguments) { return run_program(kProgram, arguments); }

unsigned mode_of(const std::string& path) {
  struct stat info {};
  return ::stat(path.c_str(), &info) == 0 ? info.st_mode & 07777U : 0;
}

}  // namespace

TEST_CASE("a file that is written over keeps its permissions, and a new one has those of the user's mask") {
  TemporaryFolder folder;
  folder.write("a.eq", "save(\"t.csv\", (a: [1, 2]))\nwrite_text(\"n.txt\", \"x\")\n");
  REQUIRE(quill_run({"run", folder.path("a.eq"), "--out", folder.path("out")}).status == 0);
  const auto mask = ::umask(0);
  ::umask(mask);
  CHECK(mode_of(folder.path("out/n.txt")) == (0666U & ~mask));
  for (const unsigned mode : {0600U, 0640U, 0664U}) {
    REQUIRE(::chmod(folder.path("out/t.csv").c_str(), mode) == 0);
    REQUIRE(quill_run({"run", folder.path("a.eq"), "--out", folder.path("out")}).status == 0);
    CHECK(mode_of(folder.path("out/t.csv")) == mode);
  }
  int hidden = 0;
  for (const auto& file : fs::directory_iterator(folder.path("out")))
    hidden += file.path().filename().string().starts_with(".");
  CHECK(hidden == 0);
}

TEST_CASE("pipes and devices are refused as scripts, data and output, at once") {
  TemporaryFolder folder;
  REQUIRE(::mkfifo(folder.path("pipe.eq").c_str(), 0600) == 0);
  REQUIRE(::mkfifo(folder.path("pipe.csv").c_str(), 0600) == 0);
  const auto began = std::chrono::steady_clock::now();
  for (const auto& script : {folder.path("pipe.eq"), std::string("/dev/zero")})
    for (const auto* command : {"run", "check", "verify"}) {
      const auto ran = quill_run({command, script});
      CAPTURE(command, script, ran.err);
      CHECK(ran.status != 0);
      CHECK(has(ran.err, "it is not a regular file"));
    }
  folder.write("load.eq", "t = load(\"pipe.csv\")\n");
  CHECK(has(quill_run({"run", folder.path("load.eq")}).err, "it is not a regular file"));
  fs::create_directories(folder.path("out"));
  REQUIRE(::mkfifo(folder.path("out/t.csv").c_str(), 0600) == 0);
  folder.write("save.eq", "save(\"t.csv\", (a: [1, 2]))\n");
  CHECK(has(quill_run({"run", folder.path("save.eq"), "--out", folder.path("out")}).err,
            "it is not a regular file"));
  folder.write("nul.eq", "write_text(\"a{characters([0])}b\", \"x\")\n");
  CHECK(quill_run({"run", folder.path("nul.eq"), "--out", folder.path("out")}).status != 0);
  CHECK(std::chrono::steady_clock::now() - began < std::chrono::seconds(60));
}

#ifndef __SANITIZE_ADDRESS__  // which reserves more than any of these limits
TEST_CASE("with little memory the program says so at once, or draws") {
  TemporaryFolder folder;
  folder.write("f.eq", "figure(\"f\") { line(1..10, 1..10) }\n");
  for (const int kilobytes : {150000, 200000, 300000, 400000, 520000, 540000, 600000, 800000}) {
    const auto command = "ulimit -v " + std::to_string(kilobytes) + "; exec '" + kProgram + "' run '" +
                         folder.path("f.eq") + "' --out '" + folder.path("out") + "'";
    const auto ran = run_program("/bin/sh", {"-c", command});
    CAPTURE(kilobytes, ran.err);
    CHECK((ran.status == 0 || ran.status == 1));
    if (ran.status == 1) CHECK(has(ran.err, "error: "));
    if (kilobytes < 520000) CHECK(has(ran.err, "the memory limit is too small"));
  }
}
#endif

TEST_CASE("cli: opened arrays larger than the memory limit are written as CSV and JSON") {
  const TemporaryFolder folder;
  folder.write("make.eq", "save(\"a.nc\", (x: reshape((1..8000000) % 7, 40000, 200)))\n");
  folder.write(
      "save.eq",
      "a = open_data(\"out/a.nc\")\nsave(\"b.csv\", a.x)\nsave(\"c.csv\", (n: a.x[.., 3], m: a.x[.., "
      "5] / 2))\nsave(\"b.json\", (x: a.x))\n");
  REQUIRE(run_program(kProgram, {"run", "make.eq", "--no-config"}, "", folder.path()).status == 0);
  const auto ran =
      run_program(kProgram, {"run", "save.eq", "--memory", "45MB", "--no-config"}, "", folder.path());
  CAPTURE(ran.err);
  CHECK(ran.status == 0);
  std::string lines = "n,m\n", table, json;
  for (int r = 0; r < 40000; ++r) {
    std::string line;
    for (int c = 0; c < 200; ++c) line += std::to_string((200 * r + c + 1) % 7) + (c < 199 ? "," : "");
    table += line + "\n";
    json += (r > 0 ? ",[" : "[") + line + "]";
    lines += fmt::format("{},{}\n", (200 * r + 3) % 7, (200 * r + 5) % 7 / 2.0);
  }
  CHECK(folder.read("out/b.csv") == table);
  CHECK(folder.read("out/c.csv") == lines);
  CHECK(folder.read("out/b.json") == "{\n \"x\": [" + json + "]\n}\n");
}
