// The record of a run against its schema; digests of values; where files come from.
#include "session/record.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <random>

#include "files/provenance.h"
#include "session/trace.h"
#include "session/value_digest.h"
#include "session/verify.h"
#include "support/paths.h"
#include "support/program.h"
#include "support/schema.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;
using Json = nlohmann::json;

namespace {

const char* const kScript = R"(given cell = 2 "spacing"
section "One"
t = load("in.csv")
t
print("cell", cell, random(2))
m = reshape(1..600, 20, 30)
m
for k in 1..3 { expect k > 0 }
expect sum(t.a) == 6, "the sum"
section "Two"
show([nan, inf, -inf, 1 + 2i])
for k in 1..2 { warn("careful {k}") }
save("out.csv", t, provenance: true)
figure("f", formats: ["png", "svg", "pdf"]) { line(t.a, t.b) }
)";

struct Recorded {
  MemoryHost host;
  Record record;
  bool ran = false;
};

SessionOptions with_cell(std::uint64_t seed) {
  SessionOptions options;
  options.inputs = {{"cell", "3"}};
  options.seed = seed;
  return options;
}

Recorded recorded(const std::string& script, SessionOptions options = {},
                  const std::string& csv = "a,b\n1,2\n2,3\n3,4.5\n") {
  Recorded out;
  out.host.files["in.csv"] = csv;
  out.host.files["test.eq"] = script;
  options.keeps = Keeps::everything;
  options.script_path = "test.eq";
  TestSession session(out.host, options);
  out.ran = session.run("test.eq", script);
  CHECK(session.write_record());
  out.record = record_of(out.host.files.at("out/run.json"), "run.json");
  return out;
}

std::string problems(const std::string& record) { return faults_by_schema(record, "run.schema.json"); }

std::string digest(const std::string& expression) { return digest_of(value_of("result = " + expression)); }

}  // namespace

TEST_CASE("the digest of nan does not depend on where it came from") {
  CHECK(digest("0 / 0") == digest("nan"));
  CHECK(digest("-(0 / 0)") == digest("nan"));
  CHECK(digest("[1, 0 / 0, -nan]") == digest("[1, nan, nan]"));
  CHECK(digest("float32([-nan, 1])") == digest("float32([nan, 1])"));
  CHECK(digest("complex(-nan, 1)") == digest("complex(nan, 1)"));
  CHECK(digest("[1, nan]") != digest("[nan, 1]"));
  CHECK(digest("[0, -0.0]") != digest("[0, 0]"));
}

TEST_CASE("the record of a run says what went in and came out, in the form of its schema") {
  const auto run = recorded(kScript, with_cell(7));
  CAPTURE(run.host.messages);
  REQUIRE(run.ran);
  const auto& text = run.host.files.at("out/run.json");
  CHECK(problems(text).empty());
  const auto& r = run.record;
  CHECK(r.outcome == "finished");
  CHECK(r.seed == 7);
  CHECK(r.script.sha256 == sha256_of(kScript));
  REQUIRE(r.inputs.size() == 1);
  CHECK((r.inputs[0].name == "cell" && r.inputs[0].value == "3" && r.inputs[0].from == "set"));
  REQUIRE(r.read.size() == 1);
  CHECK((r.read[0].name == "in.csv" && r.read[0].at.line == 3));
  CHECK(r.read[0].sha256 == sha256_of(run.host.files.at("in.csv")));
  REQUIRE(r.written.size() == 4);
  for (const auto& file : r.written) {
    CHECK(file.sha256 == sha256_of(run.host.files.at("out/" + file.name)));
    CHECK(file.size == run.host.files.at("out/" + file.name).size());
    CHECK(file.at.line == (file.name == "out.csv" ? 13 : 14));
  }
  REQUIRE(r.shown.size() == 4);
  std::string printed;
  for (const auto& shown : r.shown) printed += shown.text;
  CHECK(sha256_of(printed) == r.printed_sha256);
  CHECK(run.host.printed.find(r.shown[0].text) != std::string::npos);
  CHECK((r.shown[0].how == "value" && r.shown[0].source == "t" && r.shown[0].at.line == 4));
  CHECK((r.shown[1].how == "print" && r.shown[1].at.line == 5));
  CHECK((r.shown[2].is_sample && r.shown[2].numbers.size() == 200));
  CHECK((r.shown[2].numbers.front() == 1 && r.shown[2].numbers.back() == 600));
  CHECK((r.shown[3].type == "complex128" && r.shown[3].numbers.size() == 8));
  REQUIRE(r.checks.size() == 2);
  CHECK((r.checks[0].passed == 3 && r.checks[0].at.line == 8 && r.checks[0].source == "k > 0"));
  REQUIRE(r.warnings.size() == 1);
  CHECK((r.warnings[0].count == 2 && r.warnings[0].at.line == 12));
  REQUIRE(r.sections.size() == 2);
  CHECK((r.sections[1].title == "Two" && r.sections[1].at.line == 10));
  CHECK(r.libraries.size() > 5);
  // Reading and writing it again changes nothing.
  CHECK(text_of(r) == text);
}

TEST_CASE("a run that fails has a record too, which says where") {
  for (const auto& [script, line] :
       {std::pair("x = 1\nprint(x)\nexpect x > 2\n", 3), {"x = [1][2]", 1}, {"x = (", 1}}) {
    const auto run = recorded(script);
    CAPTURE(script);
    CHECK_FALSE(run.ran);
    CHECK(run.record.outcome == "failed");
    CHECK(run.record.error_at.line == line);
    CHECK(problems(run.host.files.at("out/run.json")).empty());
  }
  const auto run = recorded("expect 1 > 2");
  REQUIRE(run.record.checks.size() == 1);
  CHECK((run.record.checks[0].failed && run.record.checks[0].passed == 0));
  CHECK(recorded("save(\"run.json\", 1)").record.error == "run.json is the name of the record of the run");
}

TEST_CASE("two records of one run are the same but for the environment") {
  const auto one = recorded(kScript);
  const auto two = recorded(kScript);
  const auto head = [](const std::string& text) { return text.substr(0, text.find("\"environment\"")); };
  CHECK(head(one.host.files.at("out/run.json")) == head(two.host.files.at("out/run.json")));
  CHECK(one.host.files.at("out/f.png") == two.host.files.at("out/f.png"));
}

TEST_CASE("a record of the format version before is read like a current one") {
  const auto run = recorded(kScript);
  auto text = run.host.files.at("out/run.json");
  const auto replace = [&](const std::string& from, const std::string& to) {
    const auto at = text.find(from);
    REQUIRE(at != std::string::npos);
    text.replace(at, from.size(), to);
  };
  replace("\"form\": 3", "\"form\": 2");
  replace("\"environment\"", "\"circumstances\"");
  const auto before = record_of(text, "run.json");
  CHECK(before.environment.began == run.record.environment.began);
  CHECK(before.is_whole == true);
}

TEST_CASE("digests tell values apart, and only values") {
  CHECK(digest("[1, 2 | 3, 4]'") == digest("[1, 3 | 2, 4]"));
  CHECK(digest("(1..10)[2..4]") == digest("[2, 3, 4]"));
  CHECK(digest("3") == digest("reshape([3], 1)[1]"));
  const std::vector<std::string> different = {"1",
                                              "[1]",
                                              "[1, 2]",
                                              "[1 | 2]",
                                              "int64([1, 2])",
                                              "float32([1, 2])",
                                              "\"1\"",
                                              "[\"1\"]",
                                              "[\"1\", \"2\"]",
                                              "[\"12\", \"\"]",
                                              "list(1, 2)",
                                              "(1, 2)",
                                              "(a: 1, b: 2)",
                                              "(b: 2, a: 1)",
                                              "{\"a\": 1, \"b\": 2}",
                                              "true",
                                              "none",
                                              "[true, false]",
                                              "1 + 0i",
                                              "nan",
                                              "zeros(0)",
                                              "zeros(0, 2)",
                                              "zeros(1000000)",
                                              "zeros(1000, 1000)",
                                              "1..2"};
  for (std::size_t a = 0; a < different.size(); ++a)
    for (std::size_t b = 0; b < a; ++b) {
      CAPTURE(different[a], different[b]);
      CHECK(digest(different[a]) != digest(different[b]));
    }
  CHECK(digest("zeros(1000000)").starts_with("pieces:"));
  CHECK(digest("zeros(1000)").starts_with("sha256:"));
}

TEST_CASE("a run is repeated from its record, and what differs is said") {
  auto run = recorded(kScript, with_cell(7));
  const auto verify = [&](double tolerance = 0) {
    auto host = run.host;
    const auto again =
        run_again(host, run.record, script_of(host, run.record, "out"), "out", {"", "scratch", {}});
    return compare_runs(host, run.record, again.record, "out/run.json", {"out", "scratch", {}}, tolerance);
  };
  const auto says = [&](const std::string& part) {
    const auto verdict = verify();
    CAPTURE(verdict.text, part);
    CHECK_FALSE(verdict.is_same);
    CHECK(verdict.text.find(part) != std::string::npos);
  };
  CHECK(verify().text == "out/run.json re-ran with the same results: 4 values and 4 files\n");
  const auto original = run.host;
  const auto record = run.record;
  SECTION("an input that changed") {
    run.host.files["in.csv"] = "a,b\n1,2\n2,3.5\n3,4.5\n";
    says("input in.csv (line 3): SHA-256 ");
    says("the first value that differs: line 4, `t`\n");
    says("largest difference 0.5: 3, and now 3.5");
    says("out.csv (line 13) differs: column `b`, row 2: 3, and now 3.5");
    says("f.png (line 14) differs: ");
    CHECK(verify(0.2).text.find("first value") == std::string::npos);
  }
  SECTION("a script that changed, and shows the same") {
    run.host.files["test.eq"] = std::string(kScript) + "#: no more\n";
    says("script test.eq: SHA-256 ");
    says("4 values and 4 files are the same");
  }
  SECTION("another seed") {
    run.record.seed = 8;
    says("the first value that differs: line 5\n");
  }
  SECTION("another value of a parameter") {
    run.record.inputs[0].value = "4";
    says("the first value that differs: line 5\n");
  }
  SECTION("a figure that was touched") {
    auto& bytes = run.host.files["out/f.png"];
    bytes[bytes.size() / 2] ^= 1;
    says("f.png was changed after the run");
    run.host.files["out/f.png"] = original.files.at("out/f.png");
    run.host.files.erase("out/out.csv");
    says("out.csv no longer exists");
  }
  SECTION("a value that shows the same digits, and another version") {
    run.record.shown[0].digest = "sha256:" + std::string(64, '0');
    says("printed identically, but differs in digits that are not printed");
    run.record = record;
    run.record.version = "0.0.9";
    const auto verdict = verify();
    CHECK(verdict.is_same);
    CHECK(verdict.text.find("version: 0.0.9, and now ") != std::string::npos);
  }
  SECTION("a run that now fails") {
    run.host.files["test.eq"] = "given cell = 2\nprint(cell)\nexpect 1 > 2\n";
    says("the run finished, now failed in line 3: check failed: 1 > 2");
  }
  SECTION("a script that is gone") {
    run.host.files.erase("test.eq");
    CHECK_THROWS_WITH(verify(), Catch::StartsWith("the script test.eq does not exist"));
  }
}

TEST_CASE("the clock is an input: a run is repeated at the time that it had") {
  auto run = recorded("print(now())\n");
  REQUIRE(run.record.inputs.size() == 1);
  CHECK((run.record.inputs[0].name == "now" && run.record.inputs[0].from == "clock"));
  run.host.started += 1e6;
  const auto again = run_again(run.host, run.record, "test.eq", "out", {"", "scratch", {}});
  REQUIRE(again.record.shown.size() == 1);
  CHECK(again.record.shown[0].text == run.record.shown[0].text);
}

TEST_CASE("units in the last place are reported") {
  auto run = recorded("x = 0.1 + 0.2\nx\n");
  auto other = run.record;
  other.shown[0].numbers[0] = 0.3;
  other.shown[0].digest = "sha256:" + std::string(64, '0');
  const auto verdict = compare_runs(run.host, other, run.record, "r", {"out", "out", {}}, 0);
  CHECK(verdict.text.find("1 unit in the last place") != std::string::npos);
  CHECK(compare_runs(run.host, other, run.record, "r", {"out", "out", {}}, 1e-12).is_same);
}

TEST_CASE("a file is traced to its script and inputs") {
  auto run = recorded(kScript, with_cell(1));
  for (const char* name : {"f.png", "f.svg", "f.pdf", "out.csv"}) {
    const auto traced = trace(run.host, std::string("out/") + name, "test.eq");
    CAPTURE(traced.text);
    CHECK(traced.text.find(std::string("as ") + name + ", line ") != std::string::npos);
    CHECK(traced.text.find("script     test.eq: unchanged (test.eq)") != std::string::npos);
    CHECK(traced.text.find("input      in.csv, line 3: unchanged") != std::string::npos);
    CHECK(traced.text.find("parameter  cell = 3\n") != std::string::npos);
    CHECK(traced.text.find(sha256_of(kScript)) != std::string::npos);
  }
  run.host.files["in.csv"] += "4,5\n";
  CHECK(trace(run.host, "out/f.png", "test.eq").text.find("in.csv, line 3: has changed since") !=
        std::string::npos);
  CHECK_THROWS_WITH(trace(run.host, "in.csv", ""), "in.csv does not contain its provenance");
  CHECK_THROWS_WITH(trace(run.host, "none.png", ""), Catch::StartsWith("cannot read none.png"));
  const auto prov = Json::parse(prov_json(run.record));
  CHECK(prov.at("used").size() == 2);
  CHECK(prov.at("wasGeneratedBy").size() == 4);
  for (const auto& [key, relation] : prov.at("used").items()) {
    CHECK(prov.at("entity").contains(relation.at("prov:entity").get<std::string>()));
    CHECK(prov.at("activity").contains(relation.at("prov:activity").get<std::string>()));
  }
}

TEST_CASE("records that are no records, damaged or newer, each say so") {
  CHECK_THROWS_WITH(record_of("{\"a\": 1}", "r.json"), "r.json is not a record of a run");
  CHECK_THROWS_WITH(record_of("{\"record\": \"eager-quill run\", \"form\": 99}", "r.json"),
                    "r.json was written by a newer version of the program than this one");
  CHECK_THROWS_WITH(record_of("{\"record\": \"eager-quill run\", \"form\": 1}", "r.json"),
                    Catch::StartsWith("r.json is damaged: "));
  CHECK_THROWS_WITH(record_of("", "r.json"), Catch::StartsWith("r.json is damaged: "));
  const auto run = recorded(kScript);
  const auto& text = run.host.files.at("out/run.json");
  const auto line = provenance_in(run.host.files.at("out/out.csv")).value();
  std::mt19937_64 random(3);
  int read = 0;
  for (int round = 0; round < 1000; ++round)
    for (const bool whole : {true, false}) {
      auto damaged = whole ? text : line;
      if (round % 4 == 0)
        damaged.resize(random() % damaged.size());
      else
        damaged[random() % damaged.size()] ^= static_cast<char>(1 << random() % 8);
      try {
        whole ? record_of(damaged, "r.json") : record_of_provenance(damaged, "r.json");
        ++read;
      } catch (const Error& error) { CHECK(error.message.find("r.json") != std::string::npos); }
    }
  CHECK(read > 0);  // a letter of a text that changed
}
