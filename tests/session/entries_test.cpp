// Entries taken back and done again, against sessions that never had them.
#include "session/entries.h"

#include "base/interrupt.h"
#include "base/memory.h"

#include <catch2/catch.hpp>
#include <map>
#include <random>

#include "support/effort.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

struct Prompt {
  Prompt() { options.interactive = true; }
  SessionOptions options;
  MemoryHost host;
  std::unique_ptr<TestSession> session;
  std::unique_ptr<Entries> entries;
  void begin() {
    session = std::make_unique<TestSession>(host, options);
    entries = std::make_unique<Entries>(*session);
  }
  std::string shown(const std::string& name) const {
    const auto* value = session->find(name);
    return value && !value->is(Kind::unset) ? inline_text(plain_value(*value)) : "none";
  }
};

}  // namespace

TEST_CASE("undo and redo restore names, random numbers, settings and figures") {
  Prompt at;
  at.begin();
  auto& e = *at.entries;
  CHECK_FALSE(e.undo());
  CHECK_FALSE(e.redo());
  e.run("x = [1, 2, 3]");
  e.run("x[2] = 20");
  e.run("y = random(1)[1]");
  const auto first = at.shown("y");
  CHECK(e.undo()->text == "y = random(1)[1]");
  CHECK(at.shown("y") == "none");
  e.run("y = random(1)[1]");
  CHECK(at.shown("y") == first);  // the same random number again
  CHECK_FALSE(e.redo());          // another entry came in between
  e.undo();
  e.undo();
  CHECK(at.shown("x") == "[1, 2, 3]");
  CHECK(e.redo()->number == 2);
  CHECK(at.shown("x") == "[1, 20, 3]");
  e.run("digits(3)");
  e.run("print(pi)");
  e.undo();
  e.undo();
  at.host.printed.clear();
  e.run("print(pi)");
  CHECK(at.host.printed == "3.1416\n");
  e.run("figure(\"f\") { line([1, 2]) }");
  CHECK(at.session->state.figures.contains("f"));
  e.undo();
  CHECK_FALSE(at.session->state.figures.contains("f"));
  // An entry with an error is one too, and changes nothing.
  CHECK_FALSE(e.run("x = 0; z = [1][2]"));
  CHECK(at.shown("x") == "[1, 20, 3]");
  CHECK(e.undo()->failed);
  CHECK(at.shown("x") == "[1, 20, 3]");
}

TEST_CASE("a request to stop ends the code of an entry, and nothing else of it") {
  Prompt at;
  at.begin();
  auto& e = *at.entries;
  e.run("x = random(5000)[1] > 2");
  e.run("y = random(5000)");
  request_interrupt();
  CHECK(e.undo()->number == 2);
  CHECK(at.shown("y") == "none");
  CHECK(e.redo()->number == 2);
  CHECK(stop_requested());
  // Code that runs serves it, and the entry has failed.
  CHECK_FALSE(e.run("y = 0; for k in 1..10 { y += k }"));
  CHECK_FALSE(stop_requested());
  CHECK(e.done().back().note.interrupted);
  CHECK(at.session->find("y")->is(Kind::array));
  request_interrupt();
  const auto edited = e.edit(1, "y = sum(random(5000) + 0 * (1..5000))");
  CHECK_FALSE(edited.fine);
  CHECK_FALSE(stop_requested());
  CHECK(at.session->find("y")->is(Kind::array));
  CHECK(e.done()[1].text == "y = random(5000)");
  {
    const StopsDeferred whole;
    request_interrupt();
    CHECK_NOTHROW(poll_interrupt());
    CHECK_FALSE(stop_requested());
    const StopsDeferred not_here(false);
    CHECK_THROWS(poll_interrupt());
  }
  clear_interrupt();
}

TEST_CASE("aliases stay aliases of their own time") {
  Prompt at;
  at.begin();
  auto& e = *at.entries;
  e.run("a = [1, 2, 3]");
  e.run("w = alias a[1..2]");
  e.run("w[1] = 10");
  e.run("a[2] = 20");
  CHECK(at.shown("w") == "[10, 20]");
  e.undo();
  CHECK(at.shown("a") == "[10, 2, 3]");
  e.undo();
  CHECK(at.shown("a") == "[1, 2, 3]");
  e.run("w[2] = 7");
  CHECK(at.shown("a") == "[1, 7, 3]");
  e.undo();
  e.redo();
  CHECK(at.shown("a") == "[1, 7, 3]");
  e.run("a[1] = 5");
  CHECK(at.shown("w") == "[5, 7]");
}

TEST_CASE("any walk of entries, undo and redo ends where the entries alone would") {
  std::mt19937_64 random(11);
  const std::vector<std::string> texts = {
      "a = [1, 2, 3] + k", "k = k + 1",      "a[1] = k",          "fn f(x) = x + k", "b = f(2)",
      "c = random(3)",     "b = sum(c) + k", "w = alias a[1..2]", "w[2] = 9",        "d = (n: k, v: a[..])",
      "a = [0, 0, 0]",     "digits(4)",      "e = d.v[2]",        "b = [1][2]"};
  for (int walk = 0; walk < 60; ++walk) {
    Prompt at;
    at.begin();
    std::vector<std::string> kept = {"k = 1", "a = [1, 2, 3]"}, gone;
    for (const auto& text : kept) at.entries->run(text);
    for (int step = 0; step < 25; ++step) {
      const auto what = random() % 4;
      if (what == 0 && kept.size() > 2) {
        REQUIRE(at.entries->undo());
        gone.push_back(kept.back());
        kept.pop_back();
      } else if (what == 1 && !gone.empty()) {
        REQUIRE(at.entries->redo());
        kept.push_back(gone.back());
        gone.pop_back();
      } else {
        kept.push_back(texts[random() % texts.size()]);
        at.entries->run(kept.back());
        gone.clear();
      }
    }
    Prompt fresh;
    fresh.begin();
    for (const auto& text : kept) fresh.entries->run(text);
    for (const char* name : {"a", "b", "c", "d", "e", "k", "w"}) {
      CAPTURE(walk, name, kept);
      CHECK(at.shown(name) == fresh.shown(name));
    }
  }
}

TEST_CASE("taking back costs no time for the sizes, and lets go of old states when memory is short") {
  Prompt at;
  at.begin();
  auto& e = *at.entries;
  e.run("x = zeros(2000000)");
  const auto held = memory_held();
  for (int k = 0; k < 20; ++k) e.run("y" + std::to_string(k) + " = x");
  CHECK(memory_held() - held < 4000000);
  set_memory_ceiling(100000000);
  for (int k = 0; k < 12; ++k) e.run("x = x + 1");
  CHECK(e.out_of_reach() > 0);
  CHECK(at.host.messages.find("not enough memory: entries up to ") != std::string::npos);
  CHECK(e.undo());
  CHECK(at.shown("y3").find("2000000") != std::string::npos);
  set_memory_ceiling(0);
}

TEST_CASE("entries become a script that gives the same values") {
  Prompt at;
  at.host.files["lib.eq"] = "fn twice(x) = 2 * x\n";
  at.begin();
  auto& e = *at.entries;
  for (const char* text : {"#: # A study", "x = [1, 2, 3]   # readings", "x * 2", "y = that + 1",
                           "z = [1][2]", "use \"lib.eq\" as lib", "gone = 5", "print(lib.twice(sum(y)))",
                           "that / 2", "that + 1", "w = that", "x"})
    e.run(text);
  e.undo();
  e.undo();
  e.run("w = that");
  const auto script = e.as_script().text;
  CAPTURE(script);
  CHECK(script.starts_with("#: # A study\nx = [1, 2, 3]   # readings\nx * 2\n"));
  CHECK(script.find("[1][2]") == std::string::npos);
  MemoryHost host;
  host.files["lib.eq"] = at.host.files.at("lib.eq");
  TestSession session(host, {});
  const bool ran = session.run("study.eq", script);
  CAPTURE(host.messages);
  REQUIRE(ran);
  for (const char* name : {"x", "y", "w"}) {
    REQUIRE(session.find(name));
    CHECK(inline_text(*session.find(name)) == at.shown(name));
  }
}

namespace {

struct Run {
  explicit Run(const std::string& script, const std::map<std::string, std::string>& files = {}) {
    host.files = files;
    session = std::make_unique<TestSession>(host, SessionOptions());
    fine = session->run("study.eq", script);
  }
  MemoryHost host;
  std::unique_ptr<TestSession> session;
  bool fine = false;
};

}  // namespace

TEST_CASE("figures that are drawn anew and sections that begin again stand in the script once") {
  Prompt at;
  at.begin();
  for (const char* text :
       {"section \"Data\"", "x = [1, 2]", "figure(\"f\") { line(x) }", "extend(\"f\") { line(x + 1) }",
        "section \"Data\"\ny = 2", "figure(\"f\") { line(x * 2) }", "figure(\"g\") { line(x) }",
        "extend(\"f\") { line(x) }", "z = pi", "pi = 3", "w = pi + z"})
    REQUIRE(at.entries->run(text));
  const auto script = at.entries->as_script().text;
  const Run run(script);
  CAPTURE(script, run.host.messages);
  REQUIRE(run.fine);
  CHECK(script.find("line(x + 1)") == std::string::npos);
  CHECK(inline_text(*run.session->find("w")) == at.shown("w"));
  for (const char* file : {"out/f.png", "out/g.png"}) {
    const bool same = run.host.files.at(file) == at.host.files.at(file);
    CHECK(same);
  }
}

TEST_CASE("any entries become a script that gives the same values") {
  std::mt19937_64 random(12);
  const std::vector<std::string> texts = {"a = [1, 2, 3] + k",
                                          "k = k + 1",
                                          "a[1] = k",
                                          "fn f(x) = x + k",
                                          "b = f(2)",
                                          "c = random(3)",
                                          "b = sum(c) + k",
                                          "d = (n: k, v: a[..])",
                                          "digits(4)",
                                          "that",
                                          "k * 2",
                                          "that + 1",
                                          "b = that",
                                          "figure(\"p\") { line(a) }",
                                          "figure(\"p\") { line(a + 1) }",
                                          "extend(\"p\") { line(a * 2) }",
                                          "seed(3)",
                                          "section \"S\"",
                                          "section \"T\"\nb = 4",
                                          "m = pi + k",
                                          "pi = 2",
                                          "z = [1][2]",
                                          "use \"lib.eq\" as lib",
                                          "b = lib.twice(k)",
                                          "# a comment",
                                          "#: prose\nb = 7",
                                          "sum = 4",
                                          "b = sum(a)"};
  for (int walk = 0; walk < repeats(150); ++walk) {
    Prompt at;
    at.host.files["lib.eq"] = "fn twice(x) = 2 * x\n";
    at.begin();
    std::vector<std::string> list = {"k = 1", "a = [1, 2, 3]", "b = 0"};
    for (int n = 0; n < 16; ++n) list.push_back(texts[random() % texts.size()]);
    for (std::size_t n = 0; n < list.size(); ++n) {
      at.entries->run(list[n]);
      if (n > 2 && random() % 8 == 0) at.entries->undo();
    }
    const auto script = at.entries->as_script().text;
    const Run run(script, {{"lib.eq", "fn twice(x) = 2 * x\n"}});
    CAPTURE(walk, list, script, run.host.messages);
    REQUIRE(run.fine);
    for (const char* name : {"a", "b", "c", "d", "pi", "k", "m", "sum"}) {
      CAPTURE(name);
      const auto* value = run.session->find(name);
      REQUIRE((value ? inline_text(plain_value(*value)) : "none") == at.shown(name));
    }
  }
}
