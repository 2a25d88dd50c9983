// Records and figures from strangers: they lead nowhere that the user has not named, and nothing in them
// reaches a terminal as an instruction.
#include <sys/stat.h>
#include <catch2/catch.hpp>

#include <filesystem>

#include "support/paths.h"
#include "support/program.h"

using namespace quill::test;
namespace fs = std::filesystem;

namespace {

// A project folder, and private files outside of it.
struct Stranger {
  Stranger() {
    folder.write("private/secret.eq", "password = 12345\nprint(password)\n");
    folder.write("private/secret.txt", "the secret\n");
    folder.write("here/work/study.eq",
                 "t = load(\"in.csv\")\nprint(t.a)\nsave(\"out.csv\", t)\n"
                 "figure(\"f\", formats: [\"svg\", \"png\"]) { line(t.a) }\n");
    folder.write("here/work/in.csv", "a\n1\n2\n");
    const auto ran = in({"run", "work/study.eq", "--out", "work/out"});
    CAPTURE(ran.err);
    REQUIRE(ran.status == 0);
  }
  Result in(const std::vector<std::string>& arguments) const {
    return run_program(kProgram, arguments, "", folder.path("here"));
  }
  void edit(const std::string& file, const std::string& from, const std::string& to) const {
    auto text = folder.read(file);
    const auto at = text.find(from);
    CAPTURE(file, from);
    REQUIRE(at != std::string::npos);
    folder.write(file, text.replace(at, from.size(), to));
  }
  TemporaryFolder folder;
};

constexpr const char* kRecord = "here/work/out/run.json";

}  // namespace

TEST_CASE("a record opens no script and no file that the user has not named") {
  const Stranger at;
  REQUIRE(at.in({"verify", "work/out"}).status == 0);
  SECTION("another script") {
    at.edit(kRecord, "\"../study.eq\"", "\"../../../private/secret.eq\"");
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status == 1);
    CHECK(has(r.err, "it is not opened without your consent"));
    CHECK_FALSE(has(r.out + r.err, "12345"));
  }
  SECTION("a file that is no script") {
    at.folder.write("here/notes.txt", "my notes\n");
    at.edit(kRecord, "\"../study.eq\"", "\"../../notes.txt\"");
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status == 1);
    CHECK_FALSE(has(r.out + r.err, "my notes"));
  }
  SECTION("an output that is a link") {
    fs::remove(at.folder.path("here/work/out/out.csv"));
    fs::create_symlink(at.folder.path("private/secret.txt"), at.folder.path("here/work/out/out.csv"));
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status == 1);
    CHECK(has(r.err, "out.csv is neither near the record nor below the current folder"));
    CHECK_FALSE(has(r.out + r.err, "the secret"));
  }
  SECTION("an output somewhere else") {
    at.edit(kRecord, "{\"name\":\"out.csv\"", "{\"name\":\"../../../private/secret.txt\"");
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status != 0);
    CHECK_FALSE(has(r.out + r.err, "the secret"));
  }
  SECTION("folders to read from") {
    at.folder.write("here/work/study.eq", "print(read_text(\"../../private/secret.txt\"))\n");
    at.edit(kRecord, "\"out\":\"work/out\"", "\"out\":\"work/out\",\"also_read\":[\"../private\"]");
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status == 1);
    CHECK(has(r.err, "--also-read"));
    CHECK_FALSE(has(r.out + r.err, "the secret"));
    CHECK(at.in({"verify", "work/out", "--also-read", "../private"}).status == 3);
  }
  SECTION("a pipe as the script") {
    fs::remove(at.folder.path("here/work/study.eq"));
    REQUIRE(::mkfifo(at.folder.path("here/work/study.eq").c_str(), 0600) == 0);
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status == 1);
  }
}

TEST_CASE("a record that was edited is reported as such") {
  const Stranger at;
  const auto record = at.folder.read(kRecord);
  const auto finds = [&](const std::string& from, const std::string& to) {
    at.folder.write(kRecord, record);
    at.edit(kRecord, from, to);
    const auto r = at.in({"verify", "work/out"});
    CAPTURE(from, r.out, r.err);
    CHECK(r.status == 3);
    CHECK(has(r.out, "the record was modified after the run"));
  };
  finds("\"numbers\":[1,2]", "\"numbers\":[1,3]");
  finds("\"seed\": 1", "\"seed\": 2");
  finds("\"checks\": []", "\"checks\": [{\"line\":1,\"source\":\"1 > 0\",\"passed\":3}]");
  finds("\"warnings\": []", "\"warnings\": [{\"line\":1,\"message\":\"m\",\"count\":1}]");
  finds("\"sections\": []", "\"sections\": [{\"title\":\"Results\",\"line\":1}]");
  finds("\"sha256\": \"", "\"sha256\": \"0");
}

TEST_CASE("inputs of one name in two folders are two inputs") {
  TemporaryFolder folder;
  folder.write("study.eq", "use \"one/m.eq\" as one\nuse \"two/m.eq\" as two\nprint(one.s + two.s)\n");
  for (const char* part : {"one", "two"}) {
    folder.write(std::string(part) + "/m.eq", "s = sum(load(\"d.csv\").v)\n");
    folder.write(std::string(part) + "/d.csv", "v\n1\n2\n");
  }
  const auto in = [&](const std::vector<std::string>& arguments) {
    return run_program(kProgram, arguments, "", folder.path());
  };
  REQUIRE(in({"run", "study.eq"}).status == 0);
  CHECK(in({"verify", "out"}).status == 0);
  folder.write("two/d.csv", "v\n2\n1\n");  // the same sum
  const auto r = in({"verify", "out"});
  CHECK(r.status == 3);
  CHECK(has(r.out, "input two/d.csv"));
  CHECK_FALSE(has(r.out, "one/d.csv"));
}

TEST_CASE("what could not be run is no difference") {
  TemporaryFolder folder;
  folder.write("study.eq", "print(sum(ones(3000, 3000)))\nsave(\"t.csv\", (a: [1, 2]))\n");
  const auto in = [&](const std::vector<std::string>& arguments) {
    return run_program(kProgram, arguments, "", folder.path());
  };
  REQUIRE(in({"run", "study.eq"}).status == 0);
  const auto small = in({"verify", "out", "--memory", "60MB"});
  CAPTURE(small.out, small.err);
  CHECK(small.status == 1);
  CHECK(has(small.err, "not enough memory"));
  // Scripts that save elsewhere, and load that again.
  folder.write("study.eq",
               "save(\"../results/a.csv\", (a: [1, 2]))\nprint(sum(load(\"../results/a.csv\").a))\n");
  folder.write("results/there", "");
  REQUIRE(in({"run", "study.eq", "--also-write", "results"}).status == 0);
  const auto again = in({"verify", "out"});
  CAPTURE(again.out, again.err);
  CHECK(again.status == 0);
}

TEST_CASE("figures that other programs have written anew are traced") {
  const Stranger at;
  const auto svg = at.folder.read("here/work/out/f.svg");
  const auto begin = svg.find("<metadata id=\"provenance\">"), end = svg.find("</metadata>");
  REQUIRE(begin != std::string::npos);
  const auto text = svg.substr(begin + 26, end - begin - 26);
  const auto with = [&](const std::string& element) {
    at.folder.write("here/copy.svg", "<?xml version='1.0'?>\n<!-- saved -->\n" + svg.substr(0, begin) +
                                         element + svg.substr(end + 11));
    return at.in({"trace", "copy.svg", "--script", "work/study.eq"});
  };
  CHECK(with("<metadata id='provenance'>" + text + "</metadata>").status == 0);
  CHECK(with("<metadata class=\"a\"\n  id = 'provenance' ><![CDATA[" + text + "]]></metadata>").status == 0);
  const auto twice =
      with("<metadata id='provenance'>" + text + "</metadata><metadata id=\"provenance\">{}</metadata>");
  CHECK(twice.status == 1);
  CHECK(has(twice.err, "contains its provenance twice"));
  // What it is made again into does not take the place of another file.
  at.folder.write("here/work/out/f.again.svg", "mine\n");
  const auto kept = at.in({"trace", "work/out/f.svg", "--rerun"});
  CHECK(kept.status == 1);
  CHECK(has(kept.err, "exists already and was not made by this script"));
  CHECK(at.folder.read("here/work/out/f.again.svg") == "mine\n");
  // A name in the figure that leads elsewhere.
  at.folder.write("here/evil.svg", [&] {
    auto out = svg;
    const std::string name = "\"name\":\"f.svg\"";
    return out.replace(out.find(name), name.size(), "\"name\":\"a/../../../private/secret.txt\"");
  }());
  const auto evil = at.in({"trace", "evil.svg", "--script", "work/study.eq", "--rerun"});
  CHECK(evil.status != 0);
  CHECK_FALSE(at.folder.has("here/evil.again.svg"));
}

TEST_CASE("nothing from a file reaches the terminal as an instruction") {
  const Stranger at;
  const std::string evil = "\x1b]0;owned\x07\x1b[31m\xe2\x80\xae";
  const auto is_clean = [](const std::string& text) {
    return !has(text, "\x1b") && !has(text, "\x07") && !has(text, "\xe2\x80\xae");
  };
  SECTION("a record") {
    at.edit(kRecord, "\"shown\": [\n    {\"how\":\"print\"",
            "\"shown\": [\n    {\"how\":\"print\",\"source\":\"\\u001b[31m\\u202e\"");
    at.edit(kRecord, "\"text\":\"", "\"text\":\"\\u001b]0;x\\u0007\\n");
    const auto r = at.in({"verify", "work/out"});
    CHECK(r.status == 3);
    CHECK(is_clean(r.out + r.err));
  }
  SECTION("names of columns, of files, and texts of errors") {
    at.folder.write("here/evil.csv", "a" + evil + ",b\n1,2\n");
    at.folder.write("here/a.eq", "t = load(\"evil.csv\")\nt\nfail(\"no{names(t)[1]}\\nerror: spoofed\")\n");
    const auto r = at.in({"run", "a.eq"});
    CAPTURE(r.out, r.err);
    CHECK(r.status == 1);
    CHECK(is_clean(r.err));
    CHECK_FALSE(has(r.err, "\nerror: spoofed"));
    CHECK(is_clean(r.out));
    const auto named = "b" + evil + ".csv";
    at.folder.write("here/" + named, "a\n1\n");
    at.folder.write("here/b.eq", "load(\"no" + evil + ".csv\")\n");
    CHECK(is_clean(at.in({"run", "b.eq"}).err));
    CHECK(is_clean(at.in({"run", named}).err));
  }
}
