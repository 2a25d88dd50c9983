// Files as a part of the state of a session: an entry reads what the entries before it wrote.
#include <catch2/catch.hpp>

#include "session/entries.h"
#include "session/watch.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

struct At : PromptSession {
  At() : entries(*session) {}
  Entries entries;
  bool has_file(const std::string& name) const { return host.files.contains(name); }
  bool was_told(const std::string& text) const { return host.messages.find(text) != std::string::npos; }
};

}  // namespace

TEST_CASE("an entry reads the version that stands before it in the list") {
  At at;
  auto& e = at.entries;
  for (const char* text : {"save(\"x.csv\", (v: [1, 1]))", "k = 0", "save(\"x.csv\", (v: [5, 5]))"})
    REQUIRE(e.run(text));
  REQUIRE(e.edit(1, "k = sum(load(\"x.csv\").v)").fine);
  CHECK(at.shown("k") == "2");
  CHECK(at.host.files.at("out/x.csv").find('5') != std::string::npos);
  REQUIRE(e.edit(0, "save(\"x.csv\", (v: [2, 2]))").fine);
  CHECK(at.shown("k") == "4");
  CHECK(at.host.files.at("out/x.csv").find('5') != std::string::npos);
}

TEST_CASE("an entry that found no file runs again when an edit makes one") {
  At at;
  auto& e = at.entries;
  e.run("y = 1");
  CHECK_FALSE(e.run("k = sum(load(\"x.csv\").v)"));
  REQUIRE(e.edit(0, "save(\"x.csv\", (v: [3, 4]))").fine);
  CHECK(at.shown("k") == "7");
  // And does not work any longer when nothing writes it, whatever lies there.
  at.host.files["out/z.csv"] = "v\n1\n";
  REQUIRE(e.edit(0, "y = 2").fine);
  CHECK(at.shown("k") == "none");
  CHECK_FALSE(at.has_file("out/x.csv"));
}

TEST_CASE("what is undone, or fails, leaves no file; what lay there before comes back") {
  At at;
  auto& e = at.entries;
  at.host.files["out/old.txt"] = "before";
  e.run("write_text(\"new.txt\", \"a\")");
  e.run("write_text(\"old.txt\", \"a\")");
  CHECK(at.host.files.at("out/old.txt") == "a");
  e.undo();
  CHECK(at.host.files.at("out/old.txt") == "before");
  e.redo();
  CHECK(at.host.files.at("out/old.txt") == "a");
  CHECK_FALSE(e.run("write_text(\"old.txt\", \"b\"); fail(\"no\")"));
  CHECK(at.host.files.at("out/old.txt") == "a");
  CHECK_FALSE(e.run("figure(\"f\") { line([1, 2]) }; fail(\"no\")"));
  CHECK_FALSE(at.has_file("out/f.png"));
  CHECK(at.session->state.figures.empty());
  e.undo();
  e.undo();
  e.undo();
  e.undo();
  CHECK_FALSE(at.has_file("out/new.txt"));
}

TEST_CASE("a file that somebody else has changed stays, and is reported") {
  At at;
  auto& e = at.entries;
  e.run("write_text(\"n.txt\", \"a\")");
  e.run("k = 1");
  at.host.files["out/n.txt"] = "mine";
  e.run("t = read_text(\"n.txt\")");
  CHECK(at.shown("t") == "a");
  CHECK(at.was_told("was changed outside this session, which still reads its own version"));
  REQUIRE(e.edit(0, "write_text(\"n.txt\", \"b\")").fine);
  CHECK(at.shown("t") == "b");
  CHECK(at.host.files.at("out/n.txt") == "mine");
  CHECK(at.was_told("was changed outside this session and is not overwritten"));
}

TEST_CASE("versions beyond the room for them are reported, and not taken for others") {
  At at;
  auto& e = at.entries;
  at.session->files().limit(20);
  e.run("write_text(\"n.txt\", \"short\")");
  CHECK_FALSE(at.was_told("no more versions"));
  e.run("write_text(\"n.txt\", \"{ones(40)}\")");
  CHECK(at.was_told("no further versions of files are cached in this session"));
  e.run("write_text(\"n.txt\", \"last\")");
  e.undo();
  CHECK(at.was_told("differs from its version at this entry"));
  CHECK_FALSE(e.run("t = read_text(\"n.txt\")"));
  CHECK(at.was_told("too large to be cached"));
}

TEST_CASE("a watched script does not wake itself by what it writes") {
  MemoryHost host;
  host.files["study.eq"] =
      "save(\"k.csv\", (v: [0]))\nk = load(\"k.csv\").v[1] + 1\nsave(\"k.csv\", (v: [k]))\n";
  const PromptSession told;
  Watch watch(host, told.session->output, SessionOptions(), "study.eq");
  for (int round = 0; round < 5; ++round) {
    REQUIRE(watch.round());
    CHECK_FALSE(watch.has_changed());
    CHECK(inline_text(*watch.session().find("k")) == "1");
  }
  // One that reads what an earlier run left sees what lay there when the watch began.
  host.files["out/n.csv"] = "v\n4\n";
  host.files["study.eq"] = "k = load(\"out/n.csv\").v[1] + 1\nsave(\"n.csv\", (v: [k]))\n";
  for (int round = 0; round < 5; ++round) {
    REQUIRE(watch.round());
    CHECK_FALSE(watch.has_changed());
    CHECK(inline_text(*watch.session().find("k")) == "5");
  }
}

TEST_CASE("what a script cannot give is reported before it is written") {
  const auto written = [](const std::vector<std::string>& texts) {
    At at;
    at.host.files["in.csv"] = "v\n1\n";
    at.host.answers = {"4", "5", "6"};
    for (const auto& text : texts) REQUIRE(at.entries.run(text));
    at.host.files["in.csv"] = "v\n2\n";
    return at.entries.as_script();
  };
  const auto differs = [&](const std::vector<std::string>& texts, const std::string& what) {
    const auto script = written(texts);
    CAPTURE(texts, script.text);
    return script.differences.size() == 1 && script.differences[0].find(what) != std::string::npos;
  };
  CHECK(differs({"fn mean(x) = 7", ":forget mean", "b = mean([1, 2])"}, "deletes mean"));
  CHECK(differs({"t = now()"}, "uses the time of the run"));
  CHECK(differs({"t = load(\"in.csv\")"}, "read in.csv, which has changed since"));
  CHECK(differs({"u = [ask(\"n\") for k in 1..3]"}, "which a script cannot repeat"));
  CHECK(written({"b = ask(\"n\") + ask(\"m\", 2)"}).text == "b = ask(\"n\", 4) + ask(\"m\", 5)\n");
  const auto refused = written({"fn f(x) = later(x)"});
  REQUIRE(refused.errors.size() == 1);
  CHECK(refused.errors[0].message == "unknown name `later`");
}

TEST_CASE("a function keeps a built-in when a later statement assigns its name") {
  for (const bool in_one_text : {true, false}) {
    PromptSession at;
    const std::vector<std::string> texts = {"fn f(x) = mean(x)",
                                            "fn mean(x) = if x > 0 then mean(x - 1) else 7",
                                            "fn g(x) = mean(x[1])", "a = f([1, 2]); b = g([1, 2])"};
    std::string all;
    for (const auto& text : texts) all += text + "\n";
    if (in_one_text)
      CHECK(at.session->run("script", all));
    else
      for (const auto& text : texts) CHECK(at.session->run("entry", text));
    CHECK(at.shown("a") == "1.5");
    CHECK(at.shown("b") == "7");
  }
}
