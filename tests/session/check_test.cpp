// What is said of scripts without running them.
#include "session/check.h"

#include <catch2/catch.hpp>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "support/paths.h"
#include "support/program.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// "error: message" or "warning: message" of each finding, with its line.
std::vector<std::string> findings_of(const std::string& text, MemoryHost host = {}) {
  const auto checked = check_script(host, "test.eq", text);
  std::vector<std::string> out;
  for (const auto& f : checked.findings)
    out.push_back((f.is_error ? "error " : "warning ") +
                  std::to_string(checked.source->position(f.error.location.span.begin).line) + ": " +
                  f.error.message);
  return out;
}
using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("mistakes are found without running") {
  const std::vector<std::pair<std::string, Lines>> rows = {
      {"print(1 +", {"error 1: `(` in line 1 is not closed"}},
      {"depth = 3\nprint(dept)", {"error 2: unknown name `dept`"}},
      {"print(sin(1, 2))", {"error 1: sin takes 1 argument, and 2 are given"}},
      {"print(interpolate([1], [2], where: 3))", {"error 1: interpolate has no argument `where`"}},
      {"fn f(a, b) = a + b\nprint(f(1))", {"error 2: f(a, b) requires `b` too"}},
      {"fn f(a, b = 2) = a + b\nprint(f(1, c: 2))", {"error 2: f(a, b: …) has no argument `c`"}},
      {"print(f(1, 2, 3))\nfn f(a, b) = a + b",
       {"error 1: f(a, b) takes 2 arguments, and 3 are given",
        "error 1: `f` is used before it is assigned in line 2"}},
      {"x = 1\nprint(2)", {"warning 1: the name `x` is not used"}},
      {"fn f(a) = a\nprint(2)", {"warning 1: the function `f` is not used"}},
      {"given cell = 2\nprint(2)", {"warning 1: the input `cell` is not used"}},
      {"fn f(a, b) = a\nprint(f(1, 2))", {"warning 1: the parameter `b` of f is not used"}},
      {"fn f(a) {\n  return a\n  expect a > 0\n}\nprint(f(1))",
       {"warning 3: this check is never reached: line 2 returns before it"}},
      {"for k in 1..3 {\n  break\n  print(k)\n}",
       {"warning 3: this is never reached: line 2 returns before it"}},
      {"fail(\"no\")\nexpect 1 == 1", {"warning 2: this check is never reached: line 1 returns before it"}},
      {"if false { print(1) }", {"warning 1: this is never reached: its condition is false"}},
      {"if true { print(1) } else { print(2) }",
       {"warning 1: this is never reached: an earlier condition is true"}},
  };
  for (const auto& [text, expected] : rows) {
    CAPTURE(text);
    CHECK(findings_of(text) == expected);
  }
}

TEST_CASE("what is fine is not complained of") {
  for (const char* text :
       {"fn f(t, y) = -y\nprint(evolve(f, 0..1 by 0.5, [1]).y)",  // `evolve` decides on the parameters
        "a, b = (1, 2)\nprint(b)",                                // a part that is not wanted
        "for k in 1..3 { print(\"again\") }",                     // it counts
        "v = zeros(3)\nw = alias v[1..2]\nw[1] = 5\nprint(v)",    // a change by way of an alias
        "fn f(a) = g(a)\nfn g(a) = a\nprint(f(1))",
        "f = fn(a) = a\nf = fn(a, b) = a + b\nprint(f(1, 2))",  // a name with two meanings
        "fn helper(a) = a\nfactor = 3",                         // for others to use
        "x = 2\nprint(\"{x}\")", "fn f(a) {\n  if a > 0 { return 1 }\n  return 2\n}\nprint(f(1))",
        "given cell = 2\nfn f() = cell\nprint(f())"}) {
    CAPTURE(text);
    CHECK(findings_of(text).empty());
  }
}

TEST_CASE("parts of used files are known") {
  MemoryHost host;
  host.files["lib.eq"] = "fn density(t) = 1000 - t\nscale = 2\n";
  CHECK(findings_of("use \"lib.eq\" as lib\nprint(lib.density(3) + lib.scale)", host).empty());
  CHECK(findings_of("use \"lib.eq\" as lib\nprint(lib.densty(3))", host) ==
        Lines{"error 2: lib.eq has no `densty`"});
  CHECK(findings_of("use \"none.eq\" as lib\nprint(lib.a)", host) ==
        Lines{"error 1: cannot read none.eq: no such file"});
}

TEST_CASE("inputs and sections are listed, in text and in JSON with exact places") {
  MemoryHost host;
  const std::string text =
      "given cell = 20 \"spacing (m)\"\nsection \"Süd\"\nprint(cell, ask(\"depth\", 3), yy)\n";
  const auto checked = check_script(host, "test.eq", text);
  CHECK(checked.has_errors());
  const auto shown = text_of(checked);
  CHECK(shown.find("test.eq: 1 error\n") != std::string::npos);
  CHECK(shown.find("line    1  input    cell = 20  spacing (m)\n") != std::string::npos);
  CHECK(shown.find("line    3  input    depth = 3  asked for\n") != std::string::npos);
  CHECK(shown.find("line    2  section  Süd\n") != std::string::npos);
  const auto j = nlohmann::json::parse(json_of({{"test.eq", checked}})).at("files").at(0);
  CHECK(j.at("file") == "test.eq");
  const auto& finding = j.at("findings").at(0);
  CHECK(finding.at("severity") == "error");
  const auto begin = finding.at("range").at("start").at("byte").get<std::size_t>();
  const auto end = finding.at("range").at("end").at("byte").get<std::size_t>();
  CHECK(text.substr(begin, end - begin) == "yy");
  CHECK(finding.at("range").at("start").at("line") == 3);
  CHECK(j.at("sections").at(0).at("title") == "Süd");
  CHECK(j.at("inputs").size() == 2);
}

TEST_CASE("no false alarm on any example of the project") {
  class Disk : public MemoryHost {
   public:
    Outcome<std::string> read_file(const std::string& path) override { return {read_text(path), ""}; }
  } host;
  const auto root = std::string(kSourceDir);
  int count = 0;
  for (const auto* folder : {"/examples", "/docs/gallery"})
    for (const auto& entry : std::filesystem::recursive_directory_iterator(root + folder)) {
      if (entry.path().extension() != ".eq") continue;
      const auto checked = check_script(host, entry.path().string(), read_text(entry.path().string()));
      CAPTURE(text_of(checked));
      CHECK(checked.findings.empty());
      ++count;
    }
  CHECK(count > 40);
}
