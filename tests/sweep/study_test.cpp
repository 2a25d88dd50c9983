// Studies with crews in this process: the journal, what is run again, and the table.
#include <sys/stat.h>

#include <catch2/catch.hpp>
#include <filesystem>
#include <random>

#include "app/real_host.h"
#include "base/restored.h"
#include "files/digest.h"
#include "support/effort.h"
#include "support/paths.h"
#include "support/program.h"
#include "support/schema.h"
#include "sweep/runner.h"
#include "sweep/study_files.h"
#include "sweep/verify_study.h"

using namespace quill;
using test::kSourceDir;
using test::TemporaryFolder;

namespace study_test {

namespace {

const char* const kScript = R"(given rate = 1
given n = 1
peak = rate * n
name = "site {n}"
is_large = peak > 2
depths = [1, 2, 3] * rate
)";

std::unique_ptr<Host> new_host() { return std::make_unique<RealHost>(); }

// Runs cases at once, and hands results back in any order, some of them late.
class ShuffledCrew : public Crew {
 public:
  ShuffledCrew(const Setup& setup, unsigned seed, int workers)
      : runner_(setup, new_host), random_(seed), workers_(workers) {}
  int workers() const override { return workers_; }
  Index room(Index) const override { return workers_ * 2 - static_cast<Index>(waiting_.size()); }
  void give(const Case& one) override { waiting_.push_back(one); }
  std::vector<CaseResult> wait(double) override {
    std::shuffle(waiting_.begin(), waiting_.end(), random_);
    std::vector<CaseResult> out;
    for (std::size_t k = random_() % waiting_.size() + 1; k > 0; --k) {
      if (cases_left == 0) throw Error("stopped");
      --cases_left;
      out.push_back(runner_.run(waiting_.back()));
      waiting_.pop_back();
    }
    return out;
  }
  int cases_left = -1;

 private:
  CaseRunner runner_;
  std::vector<Case> waiting_;
  std::mt19937 random_;
  int workers_;
};

struct Study {
  explicit Study(const std::string& script = kScript) {
    folder.write("peak.eq", script);
    setup.script = folder.path("peak.eq");
    setup.script_text = script;
    setup.folder = folder.path("study");
    options.vary = {{"rate", "[0.5, 1, 2]"}, {"n", "1..4"}};
  }
  // The open cases with such a crew, or as many of them as `most`; the reasons why some ran again.
  Names run(unsigned seed = 1, int workers = 2, int most = -1, bool again_failed = false) {
    StudyJournal journal(setup.folder);
    Sweep sweep(host, setup, Design(host, options), journal);
    auto reasons = sweep.restore(again_failed);
    before = sweep.counts().before;
    ShuffledCrew crew(sweep.setup(), seed, workers);
    crew.cases_left = most;
    try {
      sweep.run(crew, {});
    } catch (const Error&) {}
    counts = sweep.counts();
    write_study(sweep, {options, "2026-12-01T00:00:00", 1, workers, "local"});
    return reasons;
  }
  std::string table() const { return folder.read("study/cases.csv"); }
  TemporaryFolder folder;
  RealHost host;
  Setup setup;
  DesignOptions options;
  SweepCounts counts;
  Index before = 0;
};

std::string line_in(const std::string& text, std::size_t number) {
  std::size_t at = 0;
  for (std::size_t k = 0; k < number; ++k) at = text.find('\n', at) + 1;
  return text.substr(at, text.find('\n', at) - at);
}

}  // namespace

}  // namespace study_test

using namespace study_test;

TEST_CASE("the table of a study has inputs and results of each case") {
  Study study;
  CHECK(study.run().empty());
  CHECK(study.counts.done == 12);
  CHECK(study.counts.failed == 0);
  const auto table = study.table();
  CHECK(line_in(table, 1) == "case,rate,n,peak,name,is_large,status,message");
  CHECK(line_in(table, 2) == "1,0.5,1,0.5,\"site 1\",false,ok,\"\"");
  CHECK(line_in(table, 13) == "12,2,4,8,\"site 4\",true,ok,\"\"");
  CHECK(std::count(table.begin(), table.end(), '\n') == 14);
  CHECK_FALSE(study.folder.has("study/cases/000"));  // no case wrote files
  // Names of columns that the table has itself, estimates with their errors, complex numbers, missing values.
  Study other(
      "given rate = 1\ngiven n = 1\nstatus = 2\ncase = \"a, b\"\nq = integrate(fn(x) = x^2, 0, 3)\nz = 1 + "
      "2i\nd = 0 / 0\n");
  other.run();
  CHECK(line_in(other.table(), 1) == "case,rate,n,status_,case_,q,q_error,z_re,z_im,d,status,message");
  const auto row = line_in(other.table(), 2);
  CHECK(row.substr(0, row.find("\"", 12) + 1) == "1,0.5,1,2,\"a, b\"");
  CHECK(row.find(",1,2,nan,ok,") != row.npos);
}

TEST_CASE("the files of a study do not depend on who runs it and how often it is interrupted") {
  Study reference;
  reference.run();
  const auto wanted = reference.table();
  std::mt19937 random(5);
  for (unsigned round = 0; round < 20; ++round) {
    Study study;
    const int workers = 1 + static_cast<int>(random() % 4);
    while (study.counts.done < 12)
      study.run(static_cast<unsigned>(random()), workers, static_cast<int>(random() % 5));
    CHECK(study.table() == wanted);
  }
}

TEST_CASE("a torn or damaged journal loses the damaged cases only") {
  Study whole;
  whole.run();
  const auto bytes = whole.folder.read("study/journal");
  const auto wanted = whole.table();
  std::mt19937 random(7);
  for (int round = 0; round < 60; ++round) {
    auto damaged = bytes;
    if (round % 2 == 0)
      damaged.resize(random() % damaged.size());
    else
      damaged[random() % damaged.size()] = static_cast<char>(random());
    Study study;
    study.folder.write("study/journal", damaged);
    // The script lies in another folder, and nothing else has changed.
    study.run();
    CHECK(study.table() == wanted);
    const auto lines = std::count(damaged.begin(), damaged.end(), '\n');
    if (round % 2 == 0)
      CHECK((study.before >= lines - 1 && study.before <= lines));  // the end of a line is no loss
  }
}

TEST_CASE("only cases that could give something else run again, and the reason is reported") {
  Study study(
      "given rate = 1\ngiven n = 1\nuse \"lib.eq\" as lib\nd = load(\"in.csv\")\npeak = lib.twice(sum(d.x)) "
      "* rate * n\n");
  study.folder.write("lib.eq", "fn twice(x) = 2 * x\n");
  study.folder.write("in.csv", "x,y\n1,2\n3,4\n");
  study.run();
  REQUIRE(study.counts.failed == 0);
  CHECK(line_in(study.table(), 13).starts_with("12,2,4,64,"));
  CHECK(study.run().empty());
  CHECK(study.before == 12);
  // More values: those that were there before are taken over, whatever their numbers are.
  study.options.vary[0].second = "[0.25, 0.5, 1, 2]";
  study.run();
  CHECK(study.before == 12);
  CHECK(study.counts.done == 16);
  CHECK(line_in(study.table(), 17).starts_with("16,2,4,64,"));
  study.folder.write("in.csv", "x,y\n1,2\n4,4\n");
  CHECK(study.run() == Names{"16 finished cases are not used: in.csv has changed"});
  CHECK(line_in(study.table(), 17).starts_with("16,2,4,80,"));
  study.folder.write("lib.eq", "fn twice(x) = 3 * x\n");
  CHECK(study.run().front() == "16 finished cases are not used: lib.eq has changed");
  study.setup.script_text += "extra = 1\n";
  CHECK(study.run().front() == "16 finished cases are not used: peak.eq has changed");
  study.setup.fixed = {{"unused", "1"}};
  study.options.vary[0].second = "[7]";
  study.run();
  CHECK(study.before == 0);
}

TEST_CASE("failed cases are kept, and run again when asked for") {
  Study study("given rate = 1\ngiven n = 1\nd = load(\"in.csv\")\nexpect n < 3\npeak = sum(d.x) * rate\n");
  study.run();
  CHECK(study.counts.failed == 12);
  CHECK(line_in(study.table(), 2).find("cannot read") != std::string::npos);
  study.folder.write("in.csv", "x\n1\n2\n");
  study.run();
  CHECK(study.before == 12);
  study.run(1, 2, -1, true);
  CHECK(study.before == 0);
  CHECK(study.folder.read("study/journal").find("\"tries\":2") != std::string::npos);
  CHECK(study.counts.failed == 6);
  CHECK(line_in(study.table(), 4).find("failed,") != std::string::npos);
  // A warning is reported beside a result.
  Study warned("given rate = 1\ngiven n = 1\npeak = integrate(fn(x) = 0 * x, 0, rate)\n");
  warned.run();
  CHECK(warned.counts.failed == 0);
  CHECK(line_in(warned.table(), 2).find("ok,\"warning: line 3: ") != std::string::npos);
}

TEST_CASE("files of a case lie in its folder, whole, and a case without files has none") {
  Study study(
      "given rate = 1\ngiven n = 1\nif n == 2 { save(\"out/a.csv\", [1, 2] * rate) }\ndepths = [1, 2] * "
      "rate\npeak = rate\n");
  study.run();
  CHECK(study.folder.has("study/cases/000/000002/out/a.csv"));
  CHECK(study.folder.has("study/cases/000/000002/run.json"));
  CHECK_FALSE(study.folder.has("study/cases/000/000001"));
  CHECK(std::filesystem::is_empty(study.folder.path("study/cases/.work")));
  // Without its files a case is not finished.
  std::filesystem::remove_all(study.folder.path("study/cases/000/000002"));
  study.run();
  CHECK(study.before == 11);
  CHECK(study.folder.has("study/cases/000/000002/out/a.csv"));
  // The files of another script under the same number are not taken for those of the first one.
  const auto first = study.setup.script_text;
  study.setup.script_text =
      "given rate = 1\ngiven n = 1\nif n == 2 { save(\"out/a.csv\", [7, 8] * rate) }\npeak = rate\n";
  study.run();
  study.setup.script_text = first;
  CHECK(study.run() == Names{"12 finished cases are not used: peak.eq has changed",
                             "3 finished cases are not used: their files are missing or have changed"});
  CHECK(study.before == 9);
  CHECK(study.folder.read("study/cases/000/000002/out/a.csv").find("0.5") != std::string::npos);
  study.setup.collect = {"peak", "depths"};
  study.run();
  CHECK(study.folder.has("study/cases/000/000001/values.h5"));
  CHECK(line_in(study.table(), 1) == "case,rate,n,peak,status,message");
  study.setup.collect = {"peak", "nothing"};
  study.run();
  CHECK(study.counts.failed == 12);
  CHECK(line_in(study.table(), 2).find("the script has no value nothing to collect") != std::string::npos);
}

TEST_CASE("the record of a study is read back, and damage is noticed") {
  Study study;
  study.run();
  const auto text = study.folder.read("study/sweep.json");
  std::vector<Index> numbers;
  const auto record = read_study_record(text, "sweep.json", [&](const Case& one, const CaseResult& result) {
    numbers.push_back(one.number);
    CHECK(result.number == one.number);
    CHECK(one.inputs.size() == 2);
    CHECK(result.values.size() == 3);
  });
  CHECK(numbers == std::vector<Index>{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12});
  CHECK(record.is_whole);
  CHECK(test::faults_by_schema(text, "sweep.schema.json").empty());
  CHECK(record.count == 12);
  CHECK(record.table.sha256 == sha256_of(study.table()));
  CHECK(record.script.sha256 == sha256_of(kScript));
  std::mt19937 random(3);
  const auto end = text.find("\"environment\"");
  for (int round = 0; round < 500; ++round) {
    auto damaged = text;
    const auto at = text.find("\"script\"") + random() % (end - text.find("\"script\""));
    damaged[at] = static_cast<char>(random());
    if (damaged == text) continue;
    bool is_whole = false;
    try {
      is_whole = read_study_record(damaged, "sweep.json", [](const Case&, const CaseResult&) {}).is_whole;
    } catch (const Error&) {}
    CHECK_FALSE(is_whole);
    damaged.resize(random() % damaged.size());
    CHECK_THROWS_AS(read_study_record(damaged, "sweep.json", [](const Case&, const CaseResult&) {}), Error);
  }
}

TEST_CASE("verification of a study finds what has changed") {
  Study study;
  study.run();
  const auto verdict = [&](const CaseChoice& choice, const std::string& script) {
    auto found =
        study_to_verify(study.folder.read("study/sweep.json"), study.folder.path("study/sweep.json"), choice);
    found.record.setup.script = study.setup.script;
    found.record.setup.script_text = script;
    found.record.setup.folder = study.folder.path("again");
    ShuffledCrew crew(found.record.setup, 3, 2);
    return verify_study(study.host, found, script, crew, "sweep.json", 0);
  };
  CHECK(verdict({}, kScript).text == "sweep.json: 12 of 12 cases re-ran with the same results\n");
  CHECK(verdict({{{3, 3}, {7, 7}}, 0}, kScript).text ==
        "sweep.json: 2 of 12 cases re-ran with the same results\n");
  CHECK(verdict({{}, 5}, kScript).text == "sweep.json: 5 of 12 cases re-ran with the same results\n");
  auto other = std::string(kScript);
  other.replace(other.find("rate * n"), 8, "rate + n");
  const auto changed = verdict({{{1, 1}, {8, 8}}, 0}, other);
  CHECK_FALSE(changed.is_same);
  CHECK(changed.text.find("script peak.eq has changed") != std::string::npos);
  CHECK(changed.text.find("case 1 (rate = 0.5, n = 1): peak: 0.5, and now 1.5") != std::string::npos);
  study.folder.write("study/cases.csv", study.table() + " ");
  CHECK(verdict({{{1, 1}}, 0}, kScript).text.find("cases.csv was changed after the study") !=
        std::string::npos);
  CHECK_THROWS_AS(verdict({{{13, 13}}, 0}, kScript), Error);
}

namespace study_test {

namespace {

std::string shown(const CaseResult& r) {
  auto copy = r;
  copy.seconds = 0;
  return line_of(copy);
}

// Cases in one process, in this order, and each in a runner of its own.
void check_reused(const Setup& setup, const std::vector<Case>& cases) {
  CaseRunner one(setup, new_host);
  for (const auto& c : cases) {
    CaseRunner alone(setup, new_host);
    const auto now = shown(one.run(c)), wanted = shown(alone.run(c));
    CAPTURE(setup.script);
    CHECK(now == wanted);
  }
}

}  // namespace

}  // namespace study_test

TEST_CASE("cases that follow each other in a process give what they give alone") {
  const Restored native(default_native_use(), NativeUse::at_once);
  const TemporaryFolder folder;
  folder.write("in.csv", "x,y\n1,2\n3,4\n5,6\n");
  folder.write("gaps.csv", "x,y\n1,2\n3\n");
  folder.write("lib.eq", "given scale = 2\ncount = 0\nfn times(x) = x * scale + count\n");
  Setup setup;
  setup.folder = folder.path("study");
  setup.now = "2026-12-01T00:00:00";
  const std::vector<Case> cases = {{1, {{"n", "3"}}, 1},     {2, {{"n", "[1, 2]"}}, 1}, {3, {{"n", "0"}}, 2},
                                   {4, {{"n", "3.5"}}, 3},   {5, {{"n", "-1"}}, 1},     {6, {{"n", "3"}}, 1},
                                   {7, {{"n", "1e300"}}, 4}, {8, {{"n", "2"}}, 5}};
  for (const std::string script : {
           "s = 0\nfor k in 1..3000 { s += k % 7 * 0.5 * n }",
           "d = load(\"in.csv\")\nd.x[1] = n\ns = sum(d.x) + d.y[2]\nd.y[2] = 100",
           "d = load(\"in.csv\")\nx = alias d.x\nx[2] = 50\ns = sum(d.x)\nr = random(2)\nt = sum(r)",
           "fn f(x) = if x <= 1 then 1 else x * f(x - 1)\nt = f(n)\ng = fn(x) = x + n\ns = sum([g(k) for k "
           "in 1..200])",
           "if sum(n) > 3 { only = 1 }\nvalue = sum(n)\nexpect value < 4\nlast_one = 5",
           "use \"lib.eq\" as lib\ns = sum(lib.times(n))\na = [1, 2, 3]\na[n] = 7\nt = sum(a)",
           "v = []\nfor k in 1..50 { v = append(v, k * sum(n)) }\nx = last\ny = v[last]\nwhile y > 10 { y = "
           "y / 2 }",
           "d = load(\"gaps.csv\")\ns = 1",
           "d = load(\"gaps.csv\", bad_rows: \"skip\")\ns = sum(d.x) * sum(n)",
           "q = integrate(fn(x) = x^2 * sum(n), 0, 1)\nroot = find_root(fn(x) = x^3 - 2, (0, 2))\nz = "
           "sqrt(sum(n))",
           "section \"A\"\nprint(n)\nn = n + 1\nt = now()\nsection \"B\"\ns = sum(n)",
       }) {
    setup.script_text = "given n = 1\n" + script + "\n";
    folder.write("one.eq", setup.script_text);
    setup.script = folder.path("one.eq");
    check_reused(setup, cases);
  }
}

TEST_CASE("every example of the project runs twice in a process with the same results", "[documents]") {
  const TemporaryFolder folder;
  Setup setup;
  setup.folder = folder.path("study");
  setup.now = "2026-12-01T00:00:00";
  for (const auto& entry : std::filesystem::directory_iterator(std::string(kSourceDir) + "/examples")) {
    if (entry.path().extension() != ".eq") continue;
    setup.script = entry.path().string();
    setup.script_text = test::read_text(setup.script);
    check_reused(setup, {{1, {}, 1}, {2, {}, 1}});
  }
}

TEST_CASE("numbers of cases are lists and ranges") {
  CHECK(ranges_in("3") == CaseRanges{{3, 3}});
  CHECK(ranges_in("3, 7,10..12") == CaseRanges{{3, 3}, {7, 7}, {10, 12}});
  CHECK(text_of(ranges_in("3,7,10..12")) == "3,7,10..12");
  for (const std::string wrong : {"", "0", "a", "3,", "5..3", "1.5", "1..", "-1"})
    CHECK_THROWS_AS(ranges_in(wrong), Error);
}

TEST_CASE("the parts of a study give its table when they are merged") {
  Study whole;
  whole.run();
  Study study;
  StudyJournal journal(study.setup.folder);
  Sweep sweep(study.host, study.setup, Design(study.host, study.options), journal);
  sweep.restore(false);
  CHECK(sweep.open() == CaseRanges{{1, 12}});
  std::vector<Sweep::Part> parts;
  for (Index part = 0; part < 3; ++part) {
    const auto name = "journal." + std::to_string(part + 1);
    StudyJournal own(study.setup.folder, name);
    Sweep some(study.host, sweep.setup(), Design(study.host, study.options), own);
    some.restore(false);
    ShuffledCrew crew(some.setup(), 1, 2);
    crew.cases_left = part == 2 ? 1 : -1;  // the last one is stopped
    try {
      some.run(crew, {.cases = {{1, 6}, {8, 12}}, .part = part, .parts = 3});
    } catch (const Error&) {}
    CHECK((part == 2 ? some.counts().done < 4 : some.counts().done == 4));
    parts.push_back({study.folder.path("study/" + name)});
    sweep.merge(parts.back());
    sweep.merge(parts.back());  // nothing new
  }
  CHECK(sweep.counts().done >= 8);
  CHECK(sweep.counts().done < 12);
  ShuffledCrew crew(sweep.setup(), 4, 2);
  sweep.run(crew, {});
  write_study(sweep, {study.options, "2026-12-01T00:00:00", 1, 3, "local"});
  CHECK(study.table() == whole.table());
}

TEST_CASE("results of a part are merged only where inputs and files are the same") {
  Study study;
  {
    StudyJournal own(study.setup.folder, "journal.1");
    Sweep some(study.host, study.setup, Design(study.host, study.options), own);
    some.restore(false);
    ShuffledCrew crew(some.setup(), 1, 2);
    some.run(crew, {.cases = {{1, 5}}});
    CHECK(some.counts().done == 5);
  }
  const auto merged = [&] {
    StudyJournal journal(study.setup.folder);
    Sweep sweep(study.host, study.setup, Design(study.host, study.options), journal);
    sweep.restore(false);
    Sweep::Part part{study.folder.path("study/journal.1")};
    sweep.merge(part);
    CHECK(sweep.counts().done + static_cast<Index>(part.unused.size()) == 5);
    return sweep.counts().done;
  };
  const auto vary = study.options.vary;
  study.options.vary = {{"rate", "[5, 10, 20]"}, {"n", "1..4"}};
  CHECK(merged() == 0);
  study.options.vary = vary;
  CHECK(merged() == 5);
}

TEST_CASE("lines of cases and results are read back, and other lines are errors") {
  std::mt19937 random(11);
  const auto text = [&] {
    std::string out;
    for (auto n = random() % 12; n > 0; --n) out += "ab\"\\\n\t,{}é"[random() % 9];
    return out;
  };
  for (int round = 0; round < 200; ++round) {
    CaseResult r;
    r.number = static_cast<Index>(random()) + 1;
    r.key = text();
    r.status = static_cast<CaseStatus>(random() % 3);
    r.message = text();
    for (auto n = random() % 4; n > 0; --n) r.values.push_back({text(), text(), text()});
    for (auto n = random() % 3; n > 0; --n) r.files.emplace_back(text(), text());
    for (auto n = random() % 3; n > 0; --n) r.sources.emplace_back(text(), text());
    r.digest = text();
    r.seconds = std::ldexp(static_cast<double>(random()), -20);
    r.host = text();
    r.tries = 1 + static_cast<int>(random() % 3);
    const auto line = line_of(r);
    CHECK(line.find('\n') == line.npos);
    CHECK(line_of(result_of(line)) == line);
    auto damaged = line;
    damaged.resize(random() % damaged.size());
    CHECK_THROWS_AS(result_of(damaged), Error);
    const Case one{r.number, r.files, random()};
    CHECK(line_of(case_of(line_of(one))) == line_of(one));
  }
}

namespace study_test {

namespace {

// Results without running anything.
class QuickCrew : public Crew {
 public:
  int workers() const override { return 64; }
  Index room(Index) const override { return 1000 - static_cast<Index>(waiting_.size()); }
  void give(const Case& one) override { waiting_.push_back(one.number); }
  std::vector<CaseResult> wait(double) override {
    std::vector<CaseResult> out;
    for (const auto number : waiting_) {
      CaseResult result;
      result.number = number;
      for (const std::string name : {"peak", "arrival", "total", "depth"})
        result.values.push_back({name, "", std::to_string(static_cast<double>(number) / 7)});
      result.digest = std::string(64, '0');
      result.host = "node17";
      out.push_back(std::move(result));
    }
    waiting_.clear();
    return out;
  }

 private:
  std::vector<Index> waiting_;
};

// Bytes of memory that this process has, the most that it ever had.
double peak_memory() {
  const auto text = test::read_text("/proc/self/status");
  return 1024 * std::stod(text.substr(text.find("VmHWM:") + 6));
}

}  // namespace

}  // namespace study_test

namespace study_test {

namespace {

void check_memory(int count) {
  Study study;
  study.options.vary = {{"rate", "1..1000"}, {"n", "1.." + std::to_string(count / 1000)}};
  double before = 0;
  for (int round = 0; round < 2; ++round) {
    StudyJournal journal(study.setup.folder);
    Sweep sweep(study.host, study.setup, Design(study.host, study.options), journal);
    before = round == 0 ? peak_memory() : before;
    sweep.restore(false);
    CHECK(sweep.counts().before == (round == 0 ? 0 : count));
    QuickCrew crew;
    sweep.run(crew, {});
    CHECK(sweep.counts().done == count);
    write_study(sweep, {study.options, "2026-12-01T00:00:00", 1, 64, "local"});
  }
  if (!test::kIsSanitized) CHECK(peak_memory() - before < 4e6 + 50.0 * count);
}

}  // namespace

}  // namespace study_test

TEST_CASE("a study takes less than 50 bytes of memory for each case") {
  check_memory(test::repeats(12) * 1000);
}
TEST_CASE("a study of a million cases", "[.]") { check_memory(1000000); }
