// Random sessions: what a session holds is what its list of entries gives, by every way there is to run it.
#include <catch2/catch.hpp>
#include <random>
#include <set>

#include "session/entries.h"
#include "session/watch.h"
#include "support/effort.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

// A journal in memory.
class MemoryLog : public EntryLog {
 public:
  MemoryLog() { journal.head.version = QUILL_VERSION; }
  void tell(const JournalEvent& event) override { lines += journal_line(event); }
  std::string folder_of_files() const override { return "store"; }
  Journal read() const { return read_journal(journal_line(journal.head) + lines, "the journal"); }

 private:
  Journal journal;
  std::string lines;
};

const std::map<std::string, std::string> kFilesBefore = {
    {"lib.eq", "fn twice(x) = 2 * x\nnoise = random(2)\n"},
    {"data.csv", "v\n3\n5\n"},
    {"out/old.csv", "v\n7\n"},
};

// What can be reported of a session from outside.
struct Seen {
  std::map<std::string, std::string> values, files;
  std::string random, digits;
  bool operator==(const Seen&) const = default;
};

std::string text_of(const Seen& seen) {
  std::string out;
  for (const auto& [name, value] : seen.values) out += name + " = " + value + "\n";
  for (const auto& [name, bytes] : seen.files)
    out += name + ": " + (name.ends_with(".csv") ? bytes : std::to_string(bytes.size()) + " bytes") + "\n";
  return out + "random " + seen.random + ", digits " + seen.digits + "\n";
}

// `files`: of the host, or those alone that the session knows.
Seen seen_in(Session& session, const MemoryHost& host, bool only_own) {
  Seen out;
  for (const auto& name : session.names()) {
    const auto* value = session.find(name);
    if (value == nullptr || value->is(Kind::unset)) continue;
    const auto plain = plain_value(*value);
    out.values[name] =
        plain.is(Kind::function) || plain.is(Kind::library) ? kind_in_words(plain) : inline_text(plain);
  }
  std::set<std::string> own;
  for (const auto& [path, version] : *session.state.files) own.insert(version.path);
  for (const auto& [name, bytes] : host.files)
    if (name.starts_with("out/") && (!only_own || own.contains(name))) out.files[name] = bytes;
  auto stream = session.state.random;
  out.random = inline_text(Value::array(stream.uniform({1})));
  out.digits = std::to_string(session.state.settings.digits);
  return out;
}

const std::vector<std::string> kWalkTexts = {
    "k = k + 1",
    "a = [1, 2, 3] + k",
    "a[1] = k",
    "fn f(x) = x + k",
    "b = f(2)",
    "c = random(3)",
    "b = sum(c) + k",
    "w = alias a[1..2]",
    "w[1] = 9",
    "d = (n: k, v: a[..])",
    "digits(4)",
    "digits(7)",
    "seed(3)",
    "theme(\"night\")",
    "that",
    "k * 2",
    "b = that",
    "if k > 0 {\n  k + 5\n  b = that\n}",
    "timed { b = k\nb + 1 }",
    "save(\"x.csv\", (v: [k, k]))",
    "save(\"x.csv\", (v: [b, 1]))",
    "save(\"x.csv\", (v: [4.0, 4]))",
    "b = sum(load(\"x.csv\").v)",
    "t = load(\"x.csv\")",
    "b = sum(load(\"out/old.csv\").v)",
    "save(\"old.csv\", (v: [k + 0.5]))",
    "b = sum(load(\"data.csv\").v)",
    "b = sum(load(\"out/x.csv\").v)",
    "write_text(\"n.txt\", \"{k}\")",
    "n = read_text(\"n.txt\")",
    "k = 5; fail(\"x\")",
    "save(\"x.csv\", (v: [99.0])); fail(\"x\")",
    "c = random(5); fail(\"x\")",
    "seed(9); fail(\"x\")",
    "digits(3); fail(\"x\")",
    "a[2] = 77; w[1] = 6; fail(\"x\")",
    "b = [1][2]",
    "figure(\"p\") { line(a) }",
    "figure(\"p\") { line(a + 1) }",
    "figure(\"p\") { line(random(3)) }",
    "figure(\"q\") { line(a)\nfor j in 1..2 { hline(j) } }",
    "extend(\"p\") { line(a * 2) }",
    "if k > 2 { figure(\"p\") { line(a * 3) } }",
    "figure(\"p\") { line(a) }; fail(\"x\")",
    "use \"lib.eq\" as lib",
    "b = lib.twice(k)",
    "c = lib.noise",
    "m = 3",
    "use \"lib.eq\" as m",
    "k = ask(\"how many\")",
    "b = ask(\"size\", 2)",
    "fn mean(x) = 7",
    "b = mean([1, 2, 6])",
    "fn g(x) = mean(x) + k",
    "b = g([1, 2, 6])",
    "fn h(x) = later(x)",
    "fn later(x) = x + 1",
    "b = h(3)",
    "h2 = fn(x) = x + b",
    "b = h2(1)",
    ":forget m",
    ":forget mean",
    ":forget b",
    "s = random_stream(3)",
    "c = s.random(2)",
    "section \"S\"",
    "section \"T\"\nb = 4",
    "sum = 4",
    "m = pi + k",
    "pi = 2",
    "for j in 1..3 { k = k + j }",
    "u = [j * k for j in 1..4]",
};

struct Counts {
  int written = 0, told = 0, refused = 0;
};

void walk(unsigned number, Counts& counts) {
  std::mt19937_64 random(number);
  const auto below = [&](std::size_t n) { return static_cast<std::size_t>(random() % n); };
  MemoryHost host, watched_host;
  host.files = watched_host.files = kFilesBefore;
  host.answers.assign(400, std::to_string(1 + number % 5));
  SessionOptions options;
  options.interactive = true;
  MemoryLog log;
  TestSession session(host, options);
  Entries entries(session, &log);
  std::string story;
  const auto act = [&](const std::string& text) {
    story += text + "\n";
    entries.run(text);
  };
  for (const char* text : {"k = 1", "a = [1, 2, 3]", "b = 0"}) act(text);
  SessionOptions script_options;
  watched_host.files["study.eq"] = "k = 1\n";
  Watch watch(watched_host, session.output, script_options, "study.eq");
  watch.round();
  const auto count = 4 + below(22);
  for (std::size_t n = 0; n < count; ++n) {
    const auto what = below(12);
    const auto& text = kWalkTexts[below(kWalkTexts.size())];
    if (what == 0) {
      story += ":undo\n";
      entries.undo();
    } else if (what == 1) {
      story += ":redo\n";
      entries.redo();
    } else if (what <= 3 && !text.starts_with(':') && !entries.done().empty()) {
      const auto place = below(entries.done().size());
      if (entries.done()[place].text.starts_with(':')) continue;
      story += ":edit " + std::to_string(entries.done()[place].number) + " " + text + "\n";
      entries.edit(place, text);
    } else {
      act(text);
    }
    const auto script = entries.as_script();
    if (below(4) != 0 || !script.errors.empty() || !script.differences.empty()) continue;
    watched_host.files["study.eq"] = script.text;
    watch.round();
  }
  CAPTURE(number, story);
  const auto is = seen_in(session, host, false);

  {  // The program ends, and the session goes on.
    auto later_host = host;
    TestSession later(later_host, options);
    MemoryLog new_log;
    Entries resumed(later, &new_log);
    const auto out = resumed.resume(log.read());
    later.settle_files();
    std::string different;
    for (const auto& one : out.different) different += one.entry.text + "\n";
    CAPTURE(later_host.messages, different);
    CHECK(out.different.empty());
    REQUIRE(text_of(seen_in(later, later_host, false)) == text_of(is));
  }
  const auto script = entries.as_script();
  if (!script.errors.empty()) ++counts.refused;
  if (!script.differences.empty()) ++counts.told;
  if (!script.errors.empty() || !script.differences.empty()) return;
  ++counts.written;
  CAPTURE(script.text, host.messages);
  {
    MemoryHost fresh;
    fresh.files = kFilesBefore;
    TestSession run(fresh, script_options);
    const bool fine = run.run("study.eq", script.text);
    CAPTURE(fresh.messages);
    REQUIRE(fine);
    REQUIRE(text_of(seen_in(run, fresh, false)) == text_of(is));
  }
  watched_host.files["study.eq"] = script.text;
  const auto round = watch.round();
  REQUIRE(round);
  CHECK(round->fine);
  REQUIRE(text_of(seen_in(const_cast<Session&>(watch.session()), watched_host, true)) ==
          text_of(seen_in(session, host, true)));
}

}  // namespace

TEST_CASE("a session is its list of entries, by every way to run it") {
  Counts counts;
  const unsigned walks = repeats(300);
  for (unsigned number = 1; number <= walks; ++number) walk(number, counts);
  CHECK(counts.written > static_cast<int>(walks) / 2);
}

TEST_CASE("ten thousand sessions are their lists of entries", "[.][walks]") {
  Counts counts;
  for (unsigned number = 1001; number <= 11000; ++number) walk(number, counts);
  WARN(counts.written << " as scripts, " << counts.told << " with differences told, " << counts.refused
                      << " refused");
}
