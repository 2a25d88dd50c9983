// Conditions that do not hold show what they compared; errors of functions that are called back tell by whom.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// The lines between the marked source and the calls or the hint.
std::string notes_of(const std::string& program) {
  const auto told = error_of(program);
  std::string out;
  std::size_t at = 0;
  int line = 0;
  while (at < told.size()) {
    const auto end = told.find('\n', at);
    const auto text = told.substr(at, end - at);
    if (line++ >= 4 && text.starts_with("      ")) out += text.substr(6) + "\n";
    at = end + 1;
  }
  return out;
}

}  // namespace

TEST_CASE("a failed comparison shows both sides, of arrays the first place that differs") {
  CHECK(notes_of("a = 2\nexpect a == 3") == "a = 2\nthey differ by 1, relative 0.33\n");
  CHECK(notes_of("a = [1, 2, 3]\nb = [1, 5, 4]\nexpect all(a == b)") ==
        "a == b fails at 2 of 3 elements, first at [2]: 2 against 5\nthey differ by at most 3, relative 0.6, "
        "at [2]\n");
  CHECK(notes_of("m = [1, 2 | 3, 4]\nexpect all(m < 4)") ==
        "m < 4 fails at 1 of 4 elements, first at [2, 2]: 4 against 4\n");
  CHECK(notes_of("v = [1, 2]\nexpect any(v > 5)") ==
        "v > 5 fails at 2 of 2 elements, first at [1]: 1 against 5\n");
  CHECK(notes_of("ok = [true, false]\nexpect all(ok)") == "ok is false at 1 of 2 elements, first at [2]\n");
  CHECK(notes_of("expect all([\"a\", \"b\"] == [\"a\", \"c\"])") ==
        "[\"a\", \"b\"] == [\"a\", \"c\"] fails at 1 of 2 elements, first at [2]: \"b\" against \"c\"\n");
}

TEST_CASE("near and same tell where and by how much") {
  CHECK(notes_of("expect near(1.5, 1.25)") == "they differ by 0.25, relative 0.17\n");
  CHECK(notes_of("x = [1, 2]\nexpect near(x, [1, 2.5])") ==
        "x = [1, 2]\nthey differ by at most 0.5, relative 0.2, at [2]\n");
  CHECK(notes_of("a = [1, 2]\nexpect same(a, [1, 2, 3])") ==
        "a vector of 2 float64 against a vector of 3 float64\n");
  CHECK(notes_of("r = (depth: 3, at: (x: [1, 2]))\nexpect same(r, (depth: 3, at: (x: [1, 4])))") ==
        "at .at.x[2]: 2 against 4\n");
  CHECK(notes_of("d = {\"a\": 1}\nexpect same(d, {\"b\": 1})") == "the key \"a\" is missing on the right\n");
}

TEST_CASE("chains, and, or, not and calls show the values that decided") {
  CHECK(notes_of("x = 7\nexpect 2 < x <= 4") == "x = 7\n");
  CHECK(notes_of("x = 7\ny = 1\nexpect x > 5 and y > 5") == "y = 1\n");
  CHECK(notes_of("x = 7\ny = 1\nexpect x < 5 or y > 5") == "x = 7\ny = 1\n");
  CHECK(notes_of("x = 7\nexpect not x > 5") == "x = 7\n");
  CHECK(notes_of("x = 7\nok = false\nexpect x > 5 and ok") == "ok is false\n");
  CHECK(notes_of("t = \"lake\"\nexpect contains(t, \"x\")") == "t = \"lake\"\n");
  // What was not evaluated is not shown, and nothing is evaluated twice.
  const auto ran = run("fn f(k) {\n    print(\"f {k}\")\n    return k\n}\nexpect f(1) > 2 and f(2) > 1");
  CHECK(ran.printed == "f 1\n");
  CHECK(ran.messages.find("f(1) = 1\n") != std::string::npos);
}

TEST_CASE("a word at the start of a statement is that word") {
  CHECK(run("x = 1\nexpect -x < 0").ok);
  CHECK(run("expect = 3\nexpect - 1").printed == "expect - 1 = 2\n");
  CHECK(error_of("x = 1\nexpect - x").find("a sign stands against what it belongs to: expect -x < 0") !=
        std::string::npos);
  CHECK(error_of("timed -1").find("hint: timed \"label\" (repeat: 9) { … }") != std::string::npos);
  CHECK(error_of("timed \"x\" repeat: 9 { a = 1 }").find("hint: timed \"label\" (repeat: …) { … }") !=
        std::string::npos);
  CHECK(run("timed = 2\ntimed + 1\ntimed[1..1]").ok == false);
  CHECK(run("use = [1, 2]\nuse[2]").printed == "use[2] = 2\n");
}

TEST_CASE("errors of functions that built-ins call name the built-in and its line") {
  CHECK(error_of("fn f(x) = x[3]\na = 1\nfind_root(f, (0, 1))")
            .find("in f, called by find_root in test.eq, line 3") != std::string::npos);
  CHECK(error_of("fn f(x, p) = p[9] * x\nfit(f, [1, 2, 3], [1, 2, 3], start: [1])")
            .find("in f, called by fit in test.eq, line 2") != std::string::npos);
  CHECK(error_of("fn f(t, y) = y[2]\nevolve(f, [1], over: 0..3)")
            .find("in f, called by evolve in test.eq, line 2") != std::string::npos);
  CHECK(error_of("fn f(x) {\n    if x == 3 { fail(\"three\") }\n    return x\n}\neach f([1, 2 | 3, 4])")
            .find("in f, called by each for element [2, 1] in test.eq, line 5") != std::string::npos);
  CHECK(error_of("figure(\"g\") {\n    line(fn(x) = x[2], 0..1)\n}")
            .find("called by line in test.eq, line 2") != std::string::npos);
}

TEST_CASE("an estimate goes wherever its number goes") {
  const std::string root = "r = find_root(fn(x) = x^2 - 4, (0, 5))\n";
  for (const char* line :
       {"v = zeros(2)\nv[1] = r\nexpect near(v[1], 2)", "expect int32(r) == 2",
        "v = [5, 6, 7]\nexpect v[r] == 6", "d = {}\nd[r] = 1\nexpect near(keys(d)[1], 2)",
        "f = interpolant([0, 5], [0, 10])\nexpect near(f(r), 4)", "expect near(length(1..r), 2)",
        "expect r < 3 and r > 1", "expect same(each abs(-r), abs(-2))", "expect near(max(r, 1), 2)",
        "m = zeros(2, 2)\nm[1, ..] = r\nexpect near(sum(m), 4)", "expect near([r, 1][1], 2)",
        "expect near(integrate(sin, 0, r), 1 - cos(2))"}) {
    const auto ran = run(root + line);
    CAPTURE(line, ran.messages);
    CHECK(ran.ok);
  }
}

TEST_CASE("integers written in int64 keep all their digits") {
  check_calls({{"int64(9007199254740993)", "9007199254740993"},
               {"int64(-9223372036854775807)", "-9223372036854775807"},
               {"int64([9007199254740993, 1 | -3, 9_223_372_036_854_775_807])",
                "[9007199254740993, 1 | -3, 9223372036854775807]"},
               {"int64(0x7fffffffffffffff)", "9223372036854775807"},
               {"int64(2.0)", "2"}});
  CHECK(run("x = int64(9007199254740993)").messages.empty());
  CHECK(run("x = int64(9007199254740993 + 1)").messages.find("has more digits") != std::string::npos);
  CHECK(error_of("x = int64(9223372036854775808)").find("does not fit int64") != std::string::npos);
}

TEST_CASE("a shape error of a product names the matrix product whenever that fits") {
  for (const auto& [a, b, hint] :
       std::vector<std::array<std::string, 3>>{{"zeros(2, 3)", "zeros(3, 2)", "a *+ b"},
                                               {"zeros(2, 3)", "zeros(4, 3)", "a *+ b'"},
                                               {"zeros(3, 2)", "zeros(3, 4)", "a' *+ b"},
                                               {"zeros(3, 5)", "zeros(2, 3)", "b *+ a"},
                                               {"zeros(2, 3)", "ones(2)", "a' *+ b"}}) {
    const auto told = error_of("a = " + a + "\nb = " + b + "\na * b");
    CAPTURE(told);
    CHECK(told.find("the matrix product is written  " + hint) != std::string::npos);
    CHECK(run("a = " + a + "\nb = " + b + "\n" + hint).ok);
  }
}

TEST_CASE("times stay times through arithmetic, ranges, brackets and reductions") {
  const std::string start = "s = timestamp(\"2026-06-01\")\n";
  for (const auto& [expression, result] : std::vector<std::array<std::string, 2>>{
           {"s + 86400 * (0..2)", "[2026-06-01, 2026-06-02, 2026-06-03]"},
           {"s - 3600", "2026-05-31T23:00"},
           {"(s + 60) - s", "60"},
           {"s..s + 86400 by 43200", "[2026-06-01, 2026-06-01T12:00, 2026-06-02]"},
           {"join([s, s + 86400], [s])", "[2026-06-01, 2026-06-02, 2026-06-01]"},
           {"max([s, s + 86400])", "2026-06-02"},
           {"mean([s, s + 86400])", "2026-06-01T12:00"},
           {"sort([s + 60, s])[1]", "2026-06-01"},
           {"[t for t in [s, s + 60]]", "[2026-06-01, 2026-06-01T00:01]"},
           {"append([], s)", "[2026-06-01]"},
           {"diff([s, s + 60])", "[60]"},
           {"(s + 90)*1", "1780272090"},
           {"s > s - 1", "true"},
           {"start_of(s + 86399, \"month\")", "2026-06-01"},
           {"date_parts(s).month", "6"},
           {"date_parts(s + 3661).minute", "1"},
           {"date_parts(timestamp(\"1969-12-31\")).weekday", "3"},
           {"reverse([s, s + 60])[1]", "2026-06-01T00:01"}}) {
    const auto ran = run(start + "print(\"{" + expression + "}\")");
    CAPTURE(expression, ran.messages);
    CHECK(ran.printed == result + "\n");
  }
  CHECK(error_of(start + "s + s").find("two timestamps cannot be added") != std::string::npos);
  const auto kept =
      run(start +
          "v = [s, s + 60]\nv[1] += 3600\nfor t in v { print(t) }\nr = (at: s)\nr\nsave(\"t.csv\", (at: v))");
  CAPTURE(kept.messages);
  CHECK(kept.printed == "2026-06-01T01:00\n2026-06-01T00:01\nr : record of 1: at\n  at  2026-06-01\n");
}
