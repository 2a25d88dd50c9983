// Runs, records and doing them again, with the built program on real folders; and everything that may go
// wrong around them.
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;
using Json = nlohmann::json;

namespace {

const char* const kScript = R"(given cell = 2
t = load("data/in.csv")
t
print("random", random(3))
save("out.csv", t)
figure("f") { line(t.a, t.b) }
)";

struct Project {
  Project() {
    folder.write("work/test.eq", kScript);
    folder.write("work/data/in.csv", "a,b\n1,2\n2,3\n3,4.5\n");
  }
  TemporaryFolder folder;
  Result quill_run(const std::vector<std::string>& arguments, const std::string& input = "") const {
    return run_program(kProgram, arguments, input, folder.path());
  }
  Result run(std::vector<std::string> more = {}) const {
    more.insert(more.begin(), {"run", "work/test.eq"});
    return quill_run(more);
  }
  void flip(const std::string& name, std::size_t at) const {
    auto bytes = folder.read(name);
    bytes[at] ^= 1;
    folder.write(name, bytes);
  }
};

}  // namespace

TEST_CASE("run, verify and trace, from start to end") {
  const Project p;
  REQUIRE(p.run().status == 0);
  auto r = p.quill_run({"verify", "out/run.json"});
  CHECK(r.status == 0);
  CHECK(r.out == "out/run.json re-ran with the same results: 2 values and 2 files\n");
  CHECK(p.quill_run({"verify", "out"}).status == 0);
  r = p.quill_run({"trace", "out/f.png"});
  CHECK(r.status == 0);
  CHECK(has(r.out, "script     test.eq: unchanged (work/test.eq)"));
  // The figure in a letter: with the script beside it, without, and made again.
  p.folder.write("letter/f.png", p.folder.read("out/f.png"));
  CHECK(has(p.quill_run({"trace", "letter/f.png"}).out, "test.eq: does not exist here"));
  r = p.quill_run({"trace", "letter/f.png", "--script", "work/test.eq", "--rerun"});
  CHECK(r.status == 0);
  CHECK(has(r.out, "made again, letter/f.png is identical\n"));
  CHECK(p.folder.read("letter/f.again.png") == p.folder.read("letter/f.png"));
  CHECK(Json::parse(p.quill_run({"trace", "--prov", "out/run.json"}).out).contains("wasGeneratedBy"));
  CHECK(Json::parse(p.quill_run({"trace", "--prov", "out/f.png"}).out).contains("used"));
  // The whole project elsewhere.
  fs::create_directory(p.folder.path("elsewhere"));
  fs::rename(p.folder.path("work"), p.folder.path("elsewhere/work"));
  fs::rename(p.folder.path("out"), p.folder.path("elsewhere/out"));
  CHECK(p.quill_run({"verify", "elsewhere/out/run.json"}).status == 0);
}

TEST_CASE("each change of what a record describes is found") {
  const Project p;
  REQUIRE(p.run({"--seed", "5"}).status == 0);
  const auto finds = [&](const std::string& part) {
    const auto r = p.quill_run({"verify", "out/run.json"});
    CAPTURE(r.out, r.err, part);
    CHECK(r.status == 3);
    CHECK(has(r.out, part));
  };
  SECTION("one bit of an input") {
    p.flip("work/data/in.csv", 6);
    finds("input data/in.csv (line 2): SHA-256 ");
    finds("the first value that differs: line 3, `t`");
  }
  SECTION("the script") {
    p.folder.write("work/test.eq", std::string(kScript) + "print(1)\n");
    finds("script test.eq: SHA-256 ");
    finds("2 values were recorded, now 3");
  }
  SECTION("the seed") {
    auto record = p.folder.read("out/run.json");
    record.replace(record.find("\"seed\": 5"), 9, "\"seed\": 6");
    p.folder.write("out/run.json", record);
    finds("the first value that differs: line 4\n");
  }
  SECTION("a figure") {
    const auto picture = p.folder.read("out/f.png");
    p.flip("out/f.png", picture.size() - 40);
    finds("f.png was changed after the run");
    p.folder.write("out/f.png", "");
    finds("f.png was changed after the run");
    fs::remove(p.folder.path("out/f.png"));
    finds("f.png no longer exists: No such file or directory");
  }
  SECTION("a table, by hand") {
    p.folder.write("out/out.csv", "a,b\n1,2\n2,3\n3,4.6\n");
    finds("out.csv was changed after the run: column `b`, row 3: 4.6, and now 4.5");
  }
  SECTION("what is missing or damaged is told as such") {
    fs::remove(p.folder.path("work/data/in.csv"));
    finds("failed in line 2: cannot read work/data/in.csv: No such file or directory");
    fs::remove(p.folder.path("work/test.eq"));
    const auto gone = p.quill_run({"verify", "out"});
    CHECK(gone.status == 1);
    CHECK(has(gone.err, "error: the script test.eq does not exist"));
    p.folder.write("out/run.json", p.folder.read("out/run.json").substr(0, 300));
    CHECK(has(p.quill_run({"verify", "out"}).err, "error: out/run.json is damaged: "));
    fs::remove(p.folder.path("out/run.json"));
    CHECK(p.quill_run({"verify", "out"}).err ==
          "error: cannot read out/run.json: No such file or directory\n");
  }
}

TEST_CASE("verifying writes nothing but below its own folder") {
  const Project p;
  p.folder.write("work/test.eq", "save(\"../results/a.csv\", [1, 2])\nsave(\"b.csv\", [3])\n");
  const auto refused = p.run();
  CHECK(refused.status == 1);
  CHECK(
      has(refused.err, "output files must be inside the output folder, and \"../results/a.csv\" is outside"));
  REQUIRE(p.run({"--also-write", "results"}).status == 0);
  p.folder.write("results/a.csv", "mine\n");
  const auto r = p.quill_run({"verify", "out"});
  CHECK(r.status == 3);
  CHECK(has(r.out, "../results/a.csv was changed after the run"));
  CHECK(p.folder.read("results/a.csv") == "mine\n");
}

TEST_CASE("the sandbox holds for scripts, and opens where it is reported to") {
  const Project p;
  p.folder.write("other/secret.csv", "a\n1\n");
  fs::create_symlink("../../other/secret.csv", p.folder.path("work/data/link.csv"));
  const TemporaryFolder away;
  away.write("test.eq", "");
  for (const std::string name : {"../../other/secret.csv", "/etc/hostname", "link/../../../etc/hostname"}) {
    p.folder.write("work/test.eq", "load(\"" + name + "\")\n");
    // The current folder is another one, so that the script's alone is allowed.
    const auto r = run_program(kProgram, {"run", p.folder.path("work/test.eq")}, "", away.path());
    CAPTURE(name, r.err);
    CHECK(r.status == 1);
    CHECK(has(r.err, "it is outside the folders of the script and its output"));
    CHECK(has(r.err, "hint: --also-read "));
  }
  p.folder.write("work/test.eq", "load(\"data/link.csv\")\n");
  CHECK(run_program(kProgram, {"run", p.folder.path("work/test.eq")}, "", away.path()).status == 1);
  CHECK(run_program(kProgram, {"run", p.folder.path("work/test.eq"), "--also-read", p.folder.path("other")},
                    "", away.path())
            .status == 0);
  // What a run wrote it reads back, by its name or where it lies.
  p.folder.write(
      "work/test.eq",
      "save(\"a.csv\", (a: [1, 2]))\nprint(sum(load(\"a.csv\").a), sum(load(\"../out/a.csv\").a))\n");
  CHECK(p.run().out == "3 3\n");
  CHECK(Json::parse(p.folder.read("out/run.json")).at("files_read").empty());
}

TEST_CASE("a script from standard input, without a record, on a number of threads") {
  const Project p;
  auto r = p.quill_run({"run", "-"}, "print(1 + 1)\n");
  CHECK(r.out == "2\n");
  // Also through a pipe.
  r = run_program("/bin/sh", {"-c", std::string("echo 'print(2 + 2)' | '") + kProgram + "' run - --out '" +
                                        p.folder.path("out") + "'"});
  CHECK(r.out == "4\n");
  CHECK(has(p.quill_run({"verify", "out"}).err, "came from standard input"));
  fs::remove_all(p.folder.path("out"));
  CHECK(p.run({"--no-record", "--threads", "1"}).status == 0);
  CHECK_FALSE(p.folder.has("out/run.json"));
  CHECK(has(p.quill_run({"trace", "out/f.png"}).out, "script     test.eq: "));
  CHECK(p.run({"--threads", "0"}).err ==
        "error: --threads takes an integer from 1, not `0`; see eager-quill run --help\n");
}

TEST_CASE("nothing is lost when the disk is full, the reader goes, the folder vanishes") {
  const Project p;
  REQUIRE(p.run().status == 0);
  const auto old = p.folder.read("out/f.png");
  SECTION("a disk that is full") {
    const auto small = p.folder.path("small");
    fs::create_directory(small);
    if (mount("none", small.c_str(), "tmpfs", 0, "size=16k") != 0) {
      WARN("no file system can be mounted here; a limit on the size of files stands in");
    } else {
      p.folder.write("small/out.csv", "old\n");
      const auto r = p.run({"--out", "small"});
      CHECK(r.status == 1);
      CHECK(has(r.err, "No space left on device"));
      CHECK(has(p.folder.read("small/out.csv"), "\n"));
      for (const auto& entry : fs::directory_iterator(small))
        CHECK_FALSE(entry.path().filename().string().starts_with("."));
      umount(small.c_str());
    }
    const auto r =
        run_program("/bin/bash", {"-c", std::string("ulimit -f 2; exec '") + kProgram + "' run work/test.eq"},
                    "", p.folder.path());
    CHECK(r.status == 1);
    CHECK(has(r.err, "File too large"));
    CHECK(p.folder.read("out/f.png") == old);
    // Files that a library writes.
    for (const std::string ending : {"h5", "nc"}) {
      CAPTURE(ending);
      p.folder.write("big.eq", "save(\"big." + ending + "\", (x: zeros(1000, 1000)))\n");
      p.folder.write("out/big." + ending, "old");
      const auto made = run_program(
          "/bin/bash", {"-c", std::string("ulimit -f 1000; exec '") + kProgram + "' run big.eq --no-record"},
          "", p.folder.path());
      CHECK(made.status == 1);
      CHECK(has(made.err, "error: cannot write out/big." + ending + ": File too large\n"));
      CHECK(p.folder.read("out/big." + ending) == "old");
    }
    for (const auto& entry : fs::directory_iterator(p.folder.path("out")))
      CHECK_FALSE(entry.path().filename().string().starts_with("."));
  }
  SECTION("a folder that cannot be written") {
    if (geteuid() != 0) {
      fs::permissions(p.folder.path("out"), fs::perms::owner_read | fs::perms::owner_exec);
      CHECK(has(p.run().err, "cannot write below out: Permission denied"));
      fs::permissions(p.folder.path("out"), fs::perms::owner_all);
    }
    p.folder.write("file", "");
    CHECK(has(p.run({"--out", "file"}).err, "is not a folder"));
    CHECK(has(p.run({"--out", "/proc/none"}).err, "error: cannot write "));
  }
  SECTION("a reader that goes") {
    p.folder.write(
        "work/test.eq",
        "for k in 1..20000 { print(k, \"a line that fills the pipe\") }\nsave(\"late.csv\", [1])\n");
    const auto r = run_program(
        "/bin/bash",
        {"-c", std::string("'") + kProgram + "' run work/test.eq | head -1; exit ${PIPESTATUS[0]}"}, "",
        p.folder.path());
    CHECK(r.status == 1);
    CHECK(r.out == "1 a line that fills the pipe\n");
    CHECK(has(r.err, "error: not all output could be written: Broken pipe\n"));
    CHECK(p.folder.has("out/late.csv"));
    CHECK(Json::parse(p.folder.read("out/run.json")).at("shown").size() == 20000);
  }
  SECTION("an output folder that is removed during the run") {
    p.folder.write("work/test.eq",
                   "save(\"a.csv\", [1])\nprint(\"begun\")\ns = 0\nfor k in 1..3e6 { s += k % 7 "
                   "}\nsave(\"b.csv\", [s])\n");
    RunningProgram running(kProgram, {"run", "work/test.eq"}, "", p.folder.path());
    while (!p.folder.has("out/a.csv")) wait_seconds(0.001);
    fs::remove_all(p.folder.path("out"));
    CHECK(running.finish().status == 0);
    CHECK(p.folder.has("out/b.csv"));
    CHECK(p.folder.has("out/run.json"));
  }
  SECTION("two runs into one folder at once") {
    std::vector<std::unique_ptr<RunningProgram>> both;
    for (int k = 0; k < 4; ++k)
      both.push_back(std::make_unique<RunningProgram>(
          kProgram, std::vector<std::string>{"run", "work/test.eq"}, "", p.folder.path()));
    for (auto& one : both) CHECK(one->finish().status == 0);
    CHECK(p.quill_run({"verify", "out"}).status == 0);
    for (const auto& entry : fs::directory_iterator(p.folder.path("out")))
      CHECK_FALSE(entry.path().filename().string().starts_with("."));
  }
}

TEST_CASE("the demo puts its project, runs it, and never writes over other files") {
  const TemporaryFolder folder;
  const auto demo = [&](const std::vector<std::string>& more = {}) {
    std::vector<std::string> arguments = {"demo"};
    arguments.insert(arguments.end(), more.begin(), more.end());
    return run_program(kProgram, arguments, "", folder.path());
  };
  const auto r = demo();
  CHECK(r.status == 0);
  CHECK(has(r.err, "eager-quill verify velm/out"));
  for (const char* name : {"lake/volume.eq", "lake/soundings.csv", "inflow_volume.eq"})
    CHECK(folder.read(std::string("velm/") + name) ==
          read_text(std::string(kSourceDir) + "/examples/" + name));
  CHECK(run_program(kProgram, {"verify", "velm/out"}, "", folder.path()).status == 0);
  CHECK(demo().status == 0);  // the same files are no harm
  folder.write("velm/lake/volume.eq", "mine\n");
  const auto refused = demo();
  CHECK(refused.status == 1);
  CHECK(has(refused.err, "error: velm contains other files with the names of demo files: lake/volume.eq\n"));
  CHECK(folder.read("velm/lake/volume.eq") == "mine\n");
  CHECK(demo({"other"}).status == 0);
}

TEST_CASE("check reports by its status, for several scripts") {
  const TemporaryFolder folder;
  folder.write("good.eq", "print(1)\n");
  folder.write("bad.eq", "print(x)\n");
  const auto check = [&](const std::vector<std::string>& names) {
    std::vector<std::string> arguments = {"check"};
    arguments.insert(arguments.end(), names.begin(), names.end());
    return run_program(kProgram, arguments, "", folder.path());
  };
  CHECK(check({"good.eq"}).status == 0);
  CHECK(check({"good.eq", "bad.eq"}).status == 1);
  CHECK(check({"none.eq"}).status == 1);
  CHECK(Json::parse(check({"good.eq", "bad.eq", "--json"}).out).at("files").size() == 2);
  CHECK_FALSE(folder.has("out"));
}

TEST_CASE("an input that is read in parts is verified by what was read of it") {
  const Project p;
  const auto make = [&](const std::string& changed) {
    p.folder.write("work/make.eq",
                   "x = reshape(0..3999, 1000, 4)\n" + changed + "\nsave(\"a.nc\", (x: x))\n");
    REQUIRE(p.quill_run({"run", "work/make.eq", "--out", "work"}).status == 0);
  };
  make("");
  p.folder.write("work/test.eq",
                 "x = open_data(\"a.nc\", name: \"x\")\nprint(sum(x[1..10, ..]), load(\"a.nc\", only: \"x\", "
                 "ranges: (x_1: 2, x_2: 1..2)))\n");
  auto r = p.run();
  CHECK(r.out == "780   4  5\n");
  const auto record = Json::parse(p.folder.read("out/run.json"));
  REQUIRE(record.at("files_read").size() == 2);
  CHECK(record.at("files_read")[0].at("read_in_parts") == true);
  CHECK(record.at("files_read")[0].at("size") == p.folder.read("work/a.nc").size());
  CHECK(p.quill_run({"verify", "out"}).status == 0);
  make("x[500, 1] = -1");  // of a part that was not read
  CHECK(p.quill_run({"verify", "out"}).status == 0);
  make("x[5, 1] = -1");
  r = p.quill_run({"verify", "out"});
  CHECK(r.status == 3);
  CHECK(has(r.out + r.err, "a.nc"));
  CHECK(has(r.out + r.err, "SHA-256"));
}
