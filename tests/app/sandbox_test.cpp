// The sandbox around the files of a script, on real folders.
#include "app/sandbox.h"

#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <catch2/catch.hpp>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <set>
#include <stdexcept>
#include <thread>

#include "app/real_host.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;
namespace fs = std::filesystem;

namespace {

struct FencedFolders {
  FencedFolders() {
    all.write("inside/a.txt", "inside");
    all.write("inside/sub/b.txt", "below");
    all.write("outside/secret.txt", "secret");
    inside = all.path("inside");
    outside = all.path("outside");
  }
  TemporaryFolder all;
  std::string inside, outside;
  RealHost host;
  Outcome<std::string> read(const std::string& path) { return host.read_below({inside}, path); }
};

}  // namespace

TEST_CASE("what lies below a folder is read, also by way of links that stay there") {
  FencedFolders p;
  CHECK(p.read(p.inside + "/a.txt").value == "inside");
  CHECK(p.read(p.inside + "/sub/../a.txt").value == "inside");
  CHECK(p.read(p.inside + "/sub/../../inside/a.txt").value == "inside");
  CHECK(p.read(p.outside + "/../inside/a.txt").value == "inside");
  CHECK(p.read(p.all.path("nowhere") + "/../inside/sub/b.txt").value == "below");
  CHECK_FALSE(p.read(p.inside + "/../outside/secret.txt").ok());
  fs::create_symlink("sub/b.txt", p.inside + "/near");
  fs::create_symlink(p.inside + "/sub", p.inside + "/far");
  fs::create_symlink("../inside/sub", p.inside + "/around");
  CHECK(p.read(p.inside + "/near").value == "below");
  CHECK(p.read(p.inside + "/far/b.txt").value == "below");
  CHECK(p.read(p.inside + "/around/b.txt").value == "below");
  // The folder itself may be named by way of a link.
  fs::create_directory_symlink(p.inside, p.all.path("link"));
  CHECK(p.host.read_below({p.all.path("link")}, p.all.path("link/a.txt")).value == "inside");
  CHECK(p.host.read_below({p.all.path("link")}, p.inside + "/a.txt").value == "inside");
  CHECK(p.host.read_below({p.inside + "/sub/.."}, p.inside + "/sub/../a.txt").value == "inside");
  CHECK(p.host.read_below({p.outside, p.inside}, p.inside + "/a.txt").value == "inside");
}

TEST_CASE("nothing leads out of the folders") {
  FencedFolders p;
  fs::create_symlink("../outside/secret.txt", p.inside + "/link");
  fs::create_symlink(p.outside + "/secret.txt", p.inside + "/absolute");
  fs::create_directory_symlink("../outside", p.inside + "/folder");
  fs::create_symlink("round", p.inside + "/round");
  for (const auto& way :
       {p.inside + "/../outside/secret.txt", p.outside + "/secret.txt", p.inside + "/link",
        p.inside + "/absolute", p.inside + "/folder/secret.txt", p.inside + "/sub/../../outside/secret.txt",
        std::string("/etc/passwd"), p.inside + "/sub/../sub/../../inside/../outside/secret.txt"}) {
    CAPTURE(way);
    const auto read = p.read(way);
    CHECK_FALSE(read.ok());
    CHECK(read.is_outside);
    CHECK(read.value.empty());
  }
  CHECK_FALSE(p.read(p.inside + "/round").ok());
  CHECK(p.read(p.inside + "/none").reason == "No such file or directory");
  CHECK(p.read(p.inside + "/a.txt/b").reason == "Not a directory");
  CHECK(p.read(p.inside + "/sub").reason == "it is a folder");
  CHECK(p.read(p.inside).reason == "it is a folder");
  REQUIRE(mkfifo((p.inside + "/pipe").c_str(), 0600) == 0);
  CHECK(p.read(p.inside + "/pipe").reason == "it is not a regular file");

  const Folders out = {p.inside + "/out"};
  CHECK(p.host.write_below(out, p.inside + "/out/x/y.txt", "new").ok());
  CHECK(p.all.read("inside/out/x/y.txt") == "new");
  for (const auto& way : {p.inside + "/a.txt", p.inside + "/out/../a.txt", p.outside + "/new.txt"}) {
    CAPTURE(way);
    CHECK(p.host.write_below(out, way, "over").is_outside);
  }
  fs::create_directory_symlink(p.outside, p.inside + "/out/door");
  CHECK(p.host.write_below(out, p.inside + "/out/door/new.txt", "over").is_outside);
  // A link at the end is replaced, and not followed.
  fs::create_symlink(p.outside + "/secret.txt", p.inside + "/out/end");
  CHECK(p.host.write_below(out, p.inside + "/out/end", "mine").ok());
  CHECK(p.all.read("outside/secret.txt") == "secret");
  CHECK(p.all.read("inside/out/end") == "mine");
  CHECK_FALSE(p.all.has("outside/new.txt"));
  for (const auto& entry : fs::recursive_directory_iterator(p.inside + "/out"))
    CHECK_FALSE(entry.path().filename().string().starts_with("."));  // no temporary file is left
}

TEST_CASE("a link that is swapped in meanwhile leads nowhere") {
  FencedFolders p;
  p.all.write("outside/b.txt", "secret");
  std::atomic<bool> stop{false};
  const auto door = p.inside + "/door";
  std::thread swapping([&] {
    // An own folder and a link to the outside take turns under one name.
    const auto other = p.inside + "/other";
    fs::create_directory(door);
    std::error_code ignored;
    while (!stop) {
      fs::rename(door, other, ignored);
      fs::create_directory_symlink(p.outside, door, ignored);
      fs::remove(door, ignored);
      fs::rename(other, door, ignored);
    }
  });
  int kept = 0, refused = 0;
  for (int round = 0; round < 4000; ++round) {
    const auto read = p.read(door + "/b.txt");
    CHECK(read.value != "secret");
    p.host.write_below({p.inside}, door + "/c.txt", "mine").ok() ? ++kept : ++refused;
  }
  stop = true;
  swapping.join();
  CHECK_FALSE(p.all.has("outside/c.txt"));
  CHECK(kept + refused == 4000);
}

TEST_CASE("a folder that was removed is made again, a failed writing leaves the old file") {
  FencedFolders p;
  const auto out = p.all.path("out");
  CHECK(p.host.write_below({out}, out + "/a.txt", "one").ok());
  fs::remove_all(out);
  CHECK(p.host.write_below({out}, out + "/a.txt", "two").ok());
  CHECK(p.all.read("out/a.txt") == "two");
  if (geteuid() == 0) return;  // whom no permission stops
  fs::permissions(out, fs::perms::owner_read | fs::perms::owner_exec);
  CHECK(p.host.write_below({out}, out + "/a.txt", "three").reason == "Permission denied");
  CHECK(p.all.read("out/a.txt") == "two");
  fs::permissions(out, fs::perms::owner_all);
}

TEST_CASE("a file that a library makes replaces the old one when it is complete, and nothing is left over") {
  FencedFolders p;
  const auto path = p.inside + "/made.bin";
  const auto files = [&] {
    std::set<std::string> out;
    for (const auto& entry : fs::directory_iterator(p.inside)) out.insert(entry.path().filename().string());
    return out;
  };
  const std::set<std::string> before = files();
  const auto make = [&](const std::string& text, bool fails) {
    std::string seen;
    const auto written = p.host.make_below({p.inside}, path,
                                           {100, false,
                                            [&](const std::string& there) {
                                              std::ofstream(there) << text;
                                              if (fails) throw std::runtime_error("the library failed");
                                            },
                                            [&](std::string_view bytes) { seen = bytes; }});
    CHECK(seen == text);
    return written.ok();
  };
  CHECK_THROWS_AS(make("half", true), std::runtime_error);
  CHECK(files() == before);
  CHECK(make("first", false));
  CHECK(p.read(path).value == "first");
  CHECK_THROWS_AS(make("half", true), std::runtime_error);
  CHECK(p.read(path).value == "first");
  // What a killed program left is removed after a day, what another one writes now is not.
  const auto old = p.inside + "/.made.bin.0123456789abcdef", now = p.inside + "/.made.bin.0123456789abcdee";
  for (const auto& name : {old, now}) std::ofstream(name) << "part";
  fs::last_write_time(old, fs::file_time_type::clock::now() - std::chrono::hours(30));
  CHECK(make("second", false));
  CHECK(p.read(path).value == "second");
  CHECK_FALSE(fs::exists(old));
  CHECK(fs::exists(now));
  CHECK(p.host.make_below({p.inside}, p.outside + "/made.bin", {}).is_outside);
  // In memory, by way of a temporary file.
  MemoryHost memory;
  const auto in_memory =
      memory.make_below({"out"}, "out/made.bin",
                        {100, false, [](const std::string& there) { std::ofstream(there) << "third"; }, {}});
  CHECK(in_memory.ok());
  CHECK(memory.files["out/made.bin"] == "third");
}
