// Editing and watching, against sessions and runs from the beginning.
#include "session/replay.h"

#include <catch2/catch.hpp>
#include <random>

#include "base/memory.h"
#include "language/parser.h"
#include "session/alike.h"
#include "session/entries.h"
#include "session/watch.h"
#include "support/effort.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

struct EditedSession : PromptSession {
  explicit EditedSession(const std::vector<std::string>& texts = {})
      : entries(std::make_unique<Entries>(*session)) {
    for (const auto& text : texts) entries->run(text);
  }
  std::vector<int> ran(int number, const std::string& text) {
    const auto edited = entries->edit(*entries->index_of(number), text);
    REQUIRE(edited.fine);
    std::vector<int> out;
    for (const auto& [entry, changes] : edited.ran) out.push_back(entry.number);
    return out;
  }
  std::unique_ptr<Entries> entries;
};

using EntryNumbers = std::vector<int>;

std::string names(const std::set<std::string>& set) {
  std::string out;
  for (const auto& name : set) out += (out.empty() ? "" : " ") + name;
  return out;
}

NamesUsed used(const std::string& text) {
  const auto tree = parse(std::make_shared<Source>("text", text));
  REQUIRE(tree.errors.empty());
  return names_used(tree.root->kids);
}

}  // namespace

TEST_CASE("names that a text reads and gives") {
  CHECK(names(used("y = a * x").reads) == "a x");
  CHECK(names(used("y = a * x").writes) == "y");
  CHECK(names(used("x[2] = 5").reads) == "x");
  CHECK(names(used("x += 1").reads) == "x");
  CHECK(names(used("a = 1\nb = a + c").reads) == "c");
  // What may not be assigned keeps its value from before.
  CHECK(names(used("if c { x = 1 }").reads) == "c x");
  CHECK(names(used("for k in v { s = s + k }").reads) == "k s v");
  CHECK(names(used("fn f(x) = a * x").reads).empty());
  CHECK(names(used("fn f(x) = a * x").mentions).find('a') != std::string::npos);
  CHECK(names(used("p, q = pair").writes) == "p q");
  CHECK(names(used("w = alias x[1..2]").tied) == "w x");
}

TEST_CASE("an edit runs again what depends on it, and only that") {
  EditedSession at(
      {"k = 3", "x = [1, 2, 3]", "y = x * k", "z = sum(x)", "fn f(t) = t + k", "g = f(1)", "h = z + 1"});
  CHECK(at.ran(1, "k = 4") == EntryNumbers{1, 3, 6});
  CHECK(at.shown("y") == "[4, 8, 12]");
  CHECK(at.shown("g") == "5");
  CHECK(at.ran(2, "x = [3, 2, 1]") == EntryNumbers{2, 3, 4});  // the sum stays what it was, and so h
  CHECK(at.shown("y") == "[12, 8, 4]");
  CHECK(at.ran(2, "x = [1.0, 2, 3]  # the same") == EntryNumbers{2, 3, 4});
  CHECK(at.ran(5, "fn f(t) = t - k") == EntryNumbers{5, 6});
  CHECK(at.shown("g") == "-3");
  // Nothing depends on one that gives the same.
  CHECK(at.ran(3, "y = k * x") == EntryNumbers{3});
}

TEST_CASE("names that later entries give are given all the same") {
  EditedSession at({"x = 1", "y = 2", "x = 1", "z = x + y"});
  CHECK(at.ran(1, "x = 5") == EntryNumbers{1});
  CHECK(at.shown("x") == "1");
  CHECK(at.ran(2, "y = 7; x = 9") == EntryNumbers{2, 4});
  CHECK(at.shown("z") == "8");
  EditedSession once({"c = false", "x = 3", "if c { x = 4 }", "y = x"});
  CHECK(once.ran(2, "x = 5") == EntryNumbers{2, 3, 4});
  CHECK(once.shown("y") == "5");
}

TEST_CASE("random numbers, settings and figures are read and given too") {
  EditedSession at({"a = random(2)", "b = 1", "c = random(2)", "seed(7)", "d = random(2)", "print(pi)"});
  const auto c = at.shown("c"), d = at.shown("d");
  CHECK(at.ran(2, "b = 2") == EntryNumbers{2});
  CHECK(at.ran(1, "a = random(3)") == EntryNumbers{1, 3, 4});
  CHECK(at.shown("c") != c);
  CHECK(at.shown("d") == d);
  at.host.printed.clear();
  CHECK(at.ran(2, "digits(3)") == EntryNumbers{2, 6});
  CHECK(at.host.printed.find("3.14\n") != std::string::npos);
  EditedSession drawn({"x = [1, 2]", "figure(\"f\") { line(x) }", "extend(\"f\") { line(x + 1) }", "y = 3"});
  CHECK(drawn.ran(4, "y = 4") == EntryNumbers{4});
  CHECK(drawn.ran(1, "x = [1, 3]") == EntryNumbers{1, 2, 3});
  EditedSession streams({"s = random_stream(1)", "a = s.random(2)", "b = s.random(2)", "q = 1"});
  const auto b = streams.shown("b");
  CHECK(streams.ran(4, "q = 2") == EntryNumbers{4});
  CHECK(streams.ran(2, "a = s.random(1)") == EntryNumbers{2, 3});
  CHECK(streams.ran(2, "a = s.random(2)") == EntryNumbers{2, 3});
  CHECK(streams.shown("b") == b);
  CHECK(streams.ran(4, "q = 3") == EntryNumbers{4});
  streams.entries->undo();
  streams.entries->undo();
  streams.entries->run("b = s.random(2)");
  CHECK(streams.shown("b") == b);
}

TEST_CASE("files that were read are looked at again") {
  EditedSession at;
  at.host.files["data.csv"] = "a,b\n1,2\n3,4\n";
  at.host.files["lib.eq"] = "fn twice(x) = 2 * x\n";
  for (const char* text :
       {"k = 1", "t = load(\"data.csv\")", "use \"lib.eq\" as lib", "s = sum(t.a) + k", "u = lib.twice(3)"})
    REQUIRE(at.entries->run(text));
  CHECK(at.ran(1, "k = 2") == EntryNumbers{1, 4});
  at.host.files["data.csv"] = "a,b\n1,2\n30,4\n";
  CHECK(at.ran(1, "k = 1") == EntryNumbers{1, 2, 4});
  CHECK(at.shown("s") == "32");
  at.host.files["lib.eq"] = "fn twice(x) = 20 * x\n";
  CHECK(at.ran(1, "k = 1") == EntryNumbers{1, 3, 5});
  CHECK(at.shown("u") == "60");
}

TEST_CASE("an edit that fails leaves everything as it was") {
  EditedSession at({"k = 3", "y = k * 2"});
  CHECK_FALSE(at.entries->edit(0, "k = [").fine);
  CHECK_FALSE(at.entries->edit(0, "k = nothing_known").fine);
  CHECK_FALSE(at.entries->edit(0, "k = 4; z = [1][5]").fine);
  CHECK(at.shown("k") == "3");
  CHECK(at.shown("y") == "6");
  CHECK(at.shown("z") == "none");
  CHECK(at.entries->done()[0].text == "k = 3");
}

namespace {

const std::vector<std::string>& entry_texts() {
  static const std::vector<std::string> texts = {"a = [1, 2, 3] + k",
                                                 "k = k + 1",
                                                 "k = 1",
                                                 "a[1] = k",
                                                 "fn f(x) = x + k",
                                                 "b = f(2)",
                                                 "c = random(3)",
                                                 "b = sum(c) + k",
                                                 "w = alias a[1..2]",
                                                 "w[2] = 9",
                                                 "d = (n: k, v: a[..])",
                                                 "a = [0, 0, 0]",
                                                 "digits(4)",
                                                 "e = d.v[2]",
                                                 "b = [1][2]",
                                                 "seed(3)",
                                                 "if k > 2 { e = 1 } else { b = 7 }",
                                                 "for i in 1..k { b = i }",
                                                 "s = random_stream(2)",
                                                 "c = s.random(2)",
                                                 "fn g(x) = f(x) * 2",
                                                 "b = g(k)",
                                                 "e, b = (b, 2)",
                                                 "figure(\"p\") { line(a) }",
                                                 "extend(\"p\") { line(a + 1) }",
                                                 "save(\"t.json\", k); e = load(\"t.json\")",
                                                 "a = each_of(k)",
                                                 "fn each_of(x) = [j * x for j in 1..3]",
                                                 "m = {\"k\": k}",
                                                 "e = m[\"k\"]",
                                                 "sum = 4",
                                                 "b = max([k, 2]) + sum(a)"};
  return texts;
}

}  // namespace

TEST_CASE("any edits of any entries end where the entries alone would") {
  std::mt19937_64 random(5);
  const auto& texts = entry_texts();
  for (int walk = 0; walk < repeats(80); ++walk) {
    std::vector<std::string> list = {"k = 1", "a = [1, 2, 3]"};
    for (int n = 0; n < 14; ++n) list.push_back(texts[random() % texts.size()]);
    EditedSession at(list);
    for (int n = 0; n < 6; ++n) {
      const auto place = random() % list.size();
      const auto text = texts[random() % texts.size()];
      if (at.entries->edit(place, text).fine) list[place] = text;
    }
    const EditedSession fresh(list);
    for (const char* name : {"a", "b", "c", "d", "e", "k", "w", "m", "sum"}) {
      CAPTURE(walk, name, list);
      REQUIRE(at.shown(name) == fresh.shown(name));
    }
    REQUIRE(at.session->state.random == fresh.session->state.random);
    REQUIRE(at.session->state.settings.digits == fresh.session->state.settings.digits);
    // What an entry that is gone wrote is still there.
    for (const auto& [path, bytes] : fresh.host.files) {
      CAPTURE(path, list);
      const bool same = at.host.files.at(path) == bytes;
      REQUIRE(same);
    }
    for (std::size_t k = 0; k < list.size(); ++k)
      REQUIRE(at.entries->done()[k].failed == fresh.entries->done()[k].failed);
  }
}

namespace {

// The values of a run from the beginning, and its files.
struct Fresh {
  Fresh(const std::string& script, const std::map<std::string, std::string>& files) {
    host.files = files;
    SessionOptions options;
    options.keeps = Keeps::origins;
    session = std::make_unique<TestSession>(host, options);
    fine = session->run("s.eq", script);
  }
  MemoryHost host;
  std::unique_ptr<TestSession> session;
  bool fine = false;
};

// Files as people see them: without where they come from, which reports the script as it was then.
std::string drawn_part(const std::string& svg) {
  return svg.substr(std::min(svg.find("</metadata>"), svg.size()));
}

}  // namespace

TEST_CASE("a watched script is always what a run from the beginning gives") {
  std::mt19937_64 random(8);
  std::vector<std::string> texts;
  for (const auto& text : entry_texts())
    if (text.find("figure") == std::string::npos && text.find("extend") == std::string::npos)
      texts.push_back(text);
  texts.insert(texts.end(), {"expect k > 0", "print(\"k is\", k)", "k", "given n = 4",
                             "t = load(\"data.csv\")", "e = sum(t.a)", "use \"lib.eq\" as lib",
                             "b = lib.twice(k)", "nowhere", "x = [", "# only a comment", "theme(\"night\")"});
  for (int walk = 0; walk < 60; ++walk) {
    MemoryHost host;
    host.files["data.csv"] = "a\n1\n2\n";
    host.files["lib.eq"] = "fn twice(x) = 2 * x\n";
    SessionOptions options;
    options.keeps = Keeps::origins;
    struct Told : TextOutput {
      using TextOutput::TextOutput;
    } told(host);
    Watch watch(host, told, options, "s.eq");
    std::vector<std::string> lines = {"k = 1", "a = [1, 2, 3]",
                                      "figure(\"p\", formats: \"svg\") { line(a) }"};
    for (int round = 0; round < 12; ++round) {
      switch (random() % 4) {
        case 0:
          if (lines.size() > 3)
            lines.erase(lines.begin() + static_cast<std::ptrdiff_t>(random() % lines.size()));
          break;
        case 1: lines[random() % lines.size()] = texts[random() % texts.size()]; break;
        case 2: host.files["data.csv"] = "a\n1\n" + std::to_string(random() % 3) + "\n"; break;
        default:
          lines.insert(lines.begin() + static_cast<std::ptrdiff_t>(random() % (lines.size() + 1)),
                       texts[random() % texts.size()]);
      }
      std::string script;
      for (const auto& line : lines) script += line + "\n";
      host.files["s.eq"] = script;
      auto inputs = host.files;
      std::erase_if(inputs, [](const auto& file) { return file.first.starts_with("out/"); });
      const auto done = watch.round();
      const Fresh fresh(script, inputs);
      CAPTURE(walk, round, script, host.messages, fresh.host.messages);
      REQUIRE((done && done->fine) == fresh.fine);
      if (!done) continue;
      for (const char* name : {"a", "b", "c", "d", "e", "k", "w", "m", "n", "t", "sum"}) {
        CAPTURE(name);
        const auto *is = watch.session().find(name), *should = fresh.session->find(name);
        REQUIRE((is == nullptr) == (should == nullptr));
        if (is) REQUIRE(inline_text(plain_value(*is)) == inline_text(plain_value(*should)));
      }
      for (const auto& [path, bytes] : fresh.host.files) {
        CAPTURE(path);
        REQUIRE(host.files.contains(path));
        const bool same = drawn_part(host.files.at(path)) == drawn_part(bytes);
        REQUIRE(same);
      }
    }
  }
}

TEST_CASE("a watched script keeps what it can") {
  MemoryHost host;
  struct Told : TextOutput {
    using TextOutput::TextOutput;
  } told(host);
  Watch watch(host, told, {}, "s.eq");
  const auto lines_of = [&](const std::string& script) {
    host.files["s.eq"] = script;
    EntryNumbers out;
    const auto round = watch.round();
    REQUIRE(round);
    for (const auto& statement : round->ran) out.push_back(statement.line);
    return out;
  };
  CHECK(lines_of("a = 1\nb = 2\nc = a + b\n") == EntryNumbers{1, 2, 3});
  CHECK(lines_of("a = 1\nb = 2\nc = a + b\n").empty());
  CHECK(lines_of("# new\na = 1\n\nb = 3\nc = a + b\n") == EntryNumbers{4, 5});
  CHECK(lines_of("b = 3\na = 1\nc = a + b\n") == EntryNumbers{2});
  // A mistake in between costs nothing of what follows it.
  CHECK(lines_of("b = 3\nbad = [1][2]\na = 1\nc = a + b\n") == EntryNumbers{2});
  CHECK(lines_of("b = 3\nbad = [1][1]\na = 1\nc = a + b\n") == EntryNumbers{2});
  host.printed.clear();
  CHECK(lines_of("section \"S\"\nb = 3\nbad = [1][1]\na = 1\nsection \"T\"\nprint(a)\nc = a + b\n") ==
        EntryNumbers{6});
  CHECK(host.printed == "\nT\n1\n");
}

TEST_CASE("a watched script waits for the file that it could not read") {
  MemoryHost host;
  struct Told : TextOutput {
    using TextOutput::TextOutput;
  } told(host);
  Watch watch(host, told, {}, "s.eq");
  host.files["s.eq"] = "t = load(\"data.csv\")\nprint(sum(t.v))\n";
  CHECK_FALSE(watch.round()->fine);
  CHECK_FALSE(watch.has_changed());
  host.files["data.csv"] = "v\n1,2\n";  // a row too long
  CHECK(watch.has_changed());
  CHECK_FALSE(watch.round()->fine);
  CHECK_FALSE(watch.has_changed());
  host.files["data.csv"] = "v\n1\n2\n";
  CHECK(watch.has_changed());
  CHECK(watch.round()->fine);
  CHECK(host.printed == "3\n");
  host.files.erase("data.csv");
  CHECK(watch.has_changed());
  CHECK_FALSE(watch.round()->fine);
  CHECK_FALSE(watch.has_changed());
  // What lies outside of where a script may read is no change either.
  host.files["s.eq"] = "load(\"/elsewhere/x.csv\")\n";
  host.files["/elsewhere/x.csv"] = "v\n1\n";
  CHECK_FALSE(watch.round()->fine);
  CHECK_FALSE(watch.has_changed());
}

TEST_CASE("a watched script warns of what runs, and of its text when that is new") {
  MemoryHost host;
  struct Told : TextOutput {
    using TextOutput::TextOutput;
  } told(host);
  Watch watch(host, told, {}, "s.eq");
  const auto warned = [&](const std::string& script) {
    host.messages.clear();
    host.files["s.eq"] = script;
    watch.round();
    std::size_t count = 0;
    for (auto at = host.messages.find("warning:"); at != std::string::npos;
         at = host.messages.find("warning:", at + 1))
      ++count;
    return count;
  };
  const std::string hides = "pi = 3\n", solves = "a = solve([1, 1 | 1, 1 + 1e-13], [1, k])\n";
  CHECK(warned("k = 1\n" + hides + solves) == 2);
  CHECK(warned("k = 1\n" + hides + solves + "z = 1\n") == 0);
  CHECK(warned("k = 2\n" + hides + solves + "z = 1\n") == 1);
  CHECK(warned("k = 2\n" + hides + "sum = 4\n" + solves) == 1);
}

TEST_CASE("a watched script lets go of old states when memory is short, and stays right") {
  MemoryHost host;
  struct Told : TextOutput {
    using TextOutput::TextOutput;
  } told(host);
  Watch watch(host, told, {}, "s.eq");
  std::string script = "x = zeros(1000000)\n";
  for (int k = 0; k < 20; ++k) script += "x = x + 1\n";
  host.files["s.eq"] = script + "y = x[1]\n";
  set_memory_ceiling(static_cast<std::int64_t>(memory_held()) + 80000000);
  const auto first = watch.round();
  host.files["s.eq"] = script + "y = x[2] + 1\n";
  const auto second = watch.round();
  set_memory_ceiling(0);
  REQUIRE(first);
  REQUIRE(second);
  CHECK(first->fine);
  CHECK(first->let_go > 0);
  CHECK(second->fine);
  CHECK(inline_text(*watch.session().find("y")) == "21");
}

TEST_CASE("texts are matched in order, as many as can be") {
  using Texts = std::vector<std::string>;
  const auto count = [](const std::vector<std::optional<std::size_t>>& all) {
    return std::count_if(all.begin(), all.end(), [](const auto& m) { return m.has_value(); });
  };
  CHECK(count(matched(Texts{"a", "b", "c"}, Texts{"a", "x", "c"})) == 2);
  CHECK(count(matched({}, Texts{"a"})) == 0);
  std::mt19937_64 random(3);
  for (int trial = 0; trial < 300; ++trial) {
    Texts old(random() % 9), now(random() % 9);
    for (auto* texts : {&old, &now})
      for (auto& text : *texts) text = std::string(1, static_cast<char>('a' + random() % 3));
    const auto found = matched(old, now);
    // The longest, by looking at all ways.
    std::vector<std::vector<int>> longest(old.size() + 1, std::vector<int>(now.size() + 1));
    for (std::size_t i = 1; i <= old.size(); ++i)
      for (std::size_t j = 1; j <= now.size(); ++j)
        longest[i][j] = old[i - 1] == now[j - 1] ? longest[i - 1][j - 1] + 1
                                                 : std::max(longest[i - 1][j], longest[i][j - 1]);
    CHECK(count(found) == longest[old.size()][now.size()]);
    std::size_t next = 0;
    for (std::size_t k = 0; k < now.size(); ++k)
      if (found[k]) {
        CHECK(*found[k] >= next);
        CHECK(old[*found[k]] == now[k]);
        next = *found[k] + 1;
      }
  }
}

TEST_CASE("values are alike when nothing can tell them apart") {
  const auto value = [](const std::string& expression) { return value_of("result = " + expression); };
  for (const char* same :
       {"1", "-0.0", "[1, 2]", "\"a\"", "[\"a\", \"b\"]", "(1, \"x\")", "(n: 1, v: [2])", "{\"a\": 1}",
        "1..5", "true", "none", "fn(x) = x + 1", "[1, 2i]", "zeros(0)", "nan"}) {
    CAPTURE(same);
    CHECK(alike(value(same), value(same)));
  }
  for (const auto& [a, b] :
       std::vector<std::pair<const char*, const char*>>{{"0.0", "-0.0"},
                                                        {"1", "int64(1)"},
                                                        {"[1, 2]", "[1, 2.5]"},
                                                        {"[1, 2]", "[1 | 2]"},
                                                        {"1..3", "[1, 2, 3]"},
                                                        {"(n: 1)", "(m: 1)"},
                                                        {"(a: 1, b: 2)", "(b: 2, a: 1)"},
                                                        {"fn(x) = x + 1", "fn(x) = x + 2"},
                                                        {"\"a\"", "\"b\""},
                                                        {"sin", "cos"},
                                                        {"float32([1])", "[1]"}}) {
    CAPTURE(a, b);
    CHECK_FALSE(alike(value(a), value(b)));
  }
}
