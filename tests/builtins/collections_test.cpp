// Dictionaries, lists, regular expressions and other texts, reductions in their later forms.
#include <catch2/catch.hpp>
#include <random>

#include "base/memory.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("dictionaries and lists are taken apart and put together") {
  check_calls({{"values({\"a\": 1, \"b\": 2})", "[1, 2]"},
               {"values({\"a\": 1, \"b\": [1, 2]})", "[1, [1, 2]]"},
               {"pairs((a: 1, b: 2))", "[(\"a\", 1), (\"b\", 2)]"},
               {"remove({\"a\": 1, \"b\": 2, \"c\": 3}, [\"a\", \"c\"])", "{\"b\": 2}"},
               {"remove((a: 1, b: 2), \"a\")", "(b: 2)"},
               {"remove([5, 6, 7, 8], [1, 4])", "[6, 7]"},
               {"remove([5, 6, 7], [5, 6, 7] > 5)", "[5]"},
               {"remove([1, 2 | 3, 4], 1)", "[3, 4]"},
               {"remove(list(1, \"a\", none), 2)", "[1, none]"},
               {"insert([1, 3], 2, 2)", "[1, 2, 3]"},
               {"insert([1, 3], 4, 3)", "[1, 3, 4]"},
               {"insert(list(1, 3), \"x\", 1)", "[\"x\", 1, 3]"},
               {"insert([1, 2 | 5, 6], [3, 4], 2)", "[1, 2 | 3, 4 | 5, 6]"},
               {"filter(fn(x) = x > 2, [1, 5, 3])", "[5, 3]"},
               {"filter(fn(row) = sum(row) > 3, [1, 2 | 3, 4])", "[3, 4]"},
               {"filter(fn(k, v) = v > 1, {\"a\": 1, \"b\": 2})", "{\"b\": 2}"},
               {"set_difference([3, 1, 3, 2], [2, 9])", "[1, 3]"},
               {"append([], (a: 1))", "[(a: 1)]"},
               {"append([], none)", "[none]"},
               {"append([], (1, 2))", "[(1, 2)]"},
               {"append([], {\"k\": 1})", "[{\"k\": 1}]"},
               {"length(append([], sin))", "1"},
               {"each abs({\"a\": -1, \"b\": 2})", "{\"a\": 1, \"b\": 2}"},
               {"each length(list([1, 2], [3]))", "[2, 1]"}});
  check_errors(
      {{"remove({\"a\": 1}, \"b\")", "remove: `which` contains a key or name that does not exist: \"b\"", ""},
       {"insert([1], 2, 3)", "insert: `at` must be an index from 1 to 2, not 3", ""},
       {"filter(fn(x) = x, [1])", "filter: `f` must return true or false, but returned the number 1", ""},
       {"append([1, 2], (a: 1))", "append: `item` is a record, and the array contains float64",
        "a list can contain anything: v = list()"}});
}

TEST_CASE("texts: parts, padding, lines, regular expressions") {
  check_calls({{"find_text([\"süd: 3\", \"x\"], \":\")", "[4, 0]"},
               {"text_part(\"süd: 3\", 2, 3)", "üd"},
               {"text_part(\"abc\", 4)", ""},
               {"ends_with(\"bed.csv\", \".csv\")", "true"},
               {"pad_text(\"süd\", 6, side: \"both\", with: \".\")", ".süd.."},
               {"pad_text(\"longer\", 3)", "longer"},
               {"text_lines(\"a\\r\\nb\\n\\nc\")", "[\"a\", \"b\", \"\", \"c\"]"},
               {"length(text_lines(\"\"))", "0"},
               {"repeat_text(\"ab\", 0)", ""},
               {"number([\"3\", \"dry\"], otherwise: -1)", "[3, -1]"},
               {"matches([\"cast 7\", \"buoy\"], `^c\\w+ \\d$`)", "[true, false]"},
               {"matches(\"cast 7\", `\\d`, whole: true)", "false"},
               {"extract(\"12 m and 3 m\", `\\d+`)", "12"},
               {"extract(\"x = 5\", `(\\w) = (\\d)`)", "x"},
               {"extract_all(\"a1 b22\", `[a-z]\\d+`)", "[\"a1\", \"b22\"]"},
               {"extract_all(\"a1 b22\", `([a-z])(\\d+)`)", "[\"a\", \"1\" | \"b\", \"22\"]"},
               {"length(extract_all(\"öä\", `x*`))", "3"},
               {"replace_pattern(\"3,5 m\", `(\\d),(\\d)`, `\\1.\\2`)", "3.5 m"}});
  check_errors(
      {{"matches(\"a\", `(`)", "matches: `pattern` must be a regular expression: missing ): (",
        "a raw text between backticks needs no escapes: `\\d+`"},
       {"replace_pattern(\"a\", `(a)`, `\\9`)",
        "replace_pattern: `by` refers to group 9, but the pattern has 1", ""},
       {"[a for a, a in zip([1], [2])]", "the name `a` occurs twice", "`_` discards a part"},
       {"pad_text(\"a\", 3, with: \"ab\")", "pad_text: `with` must be a single character, not \"ab\"", ""},
       {"text_part(\"abc\", 0)", "text_part: `first` must be an index from 1, not 0", ""}});
}

TEST_CASE("a script's own errors and warnings stand at their place") {
  const auto told = error_of(
      "fn check(x) {\n    if x < 0 { fail(\"a reading below 0: {x}\", \"x >= 0\") }\n    return "
      "x\n}\ncheck(-1)");
  CHECK(told.find("error: a reading below 0: -1\n  test.eq, line 2, column 16\n") == 0);
  CHECK(told.find("\n  in check, called from test.eq, line 5, column 1\n  hint: x >= 0\n") != told.npos);
  const auto warned = run("warn(\"3 gaps\")\nprint(1)");
  CHECK(warned.ok);
  CHECK(warned.messages.find("warning: 3 gaps\n  test.eq, line 1, column 1") == 0);
}

TEST_CASE("reductions over several axes are those over one after the other") {
  std::mt19937 random(3);
  for (int round = 0; round < 30; ++round) {
    const auto size = [&] { return std::to_string(1 + random() % 4); };
    const auto shape = size() + ", " + size() + ", " + size();
    const auto first = 1 + random() % 3, second = 1 + (first + random() % 2) % 3;
    const auto axes = std::to_string(first) + ", " + std::to_string(second);
    const auto later = std::to_string(std::max(first, second)),
               earlier = std::to_string(std::min(first, second));
    const auto program =
        "seed(" + std::to_string(round) + ")\na = random(" + shape + ")\n" + "expect near(sum(a, over: [" +
        axes + "]), sum(sum(a, over: " + later + "), over: " + earlier + "))\nexpect same(max(a, over: [" +
        axes + "]), max(max(a, over: " + later + "), over: " + earlier + "))\nexpect near(mean(a, over: [" +
        axes + "]), mean(mean(a, over: " + later + "), over: " + earlier +
        "))\nexpect same(shape(sum(a, over: [" + axes + "], keep: true)), shape(sum(sum(a, over: " + later +
        ", keep: true), over: " + earlier + ", keep: true)))\nexpect near(sum(a, over: [1, 2, 3]), sum(a))";
    const auto ran = run(program);
    CAPTURE(program, ran.messages);
    CHECK(ran.ok);
  }
}

TEST_CASE("later reductions: moments, running extremes, quantiles, digits, several arrays") {
  check_calls({{"quantile([3, 1, 2], [0, 0.5, 1])", "[1, 2, 3]"},
               {"shape(quantile(zeros(4, 3), [0.1, 0.9], over: 1))", "[2, 3]"},
               {"mean([1 + 2i, 3])", "2 + 1i"},
               {"variance([1 + 2i, 3])", "4"},
               {"running_max([1, 3, 2, nan, 5])", "[1, 3, 3, nan, nan]"},
               {"running_min([3, 1 | 2, 5], over: 2)", "[3, 1 | 2, 2]"},
               {"rms([3e200, 3e200])", "3e200"},
               {"rms([1, nan, 7], skip_nan: true)", "5"},
               {"skewness([1, 2, 3])", "0"},
               {"near(skewness([0, 0, 0, 1]), 2 / sqrt(3))", "true"},
               {"near(kurtosis([0, 0, 0, 1]), 7 / 3 - 3)", "true"},
               {"max(1, 2, 3)", "3"},
               {"min([4, 5], 3, [9, 1])", "[3, 1]"},
               {"max(1, nan, 3, skip_nan: true)", "3"},
               {"round(1.005, digits: 2)", "1"},
               {"round(-0.125, digits: 2)", "-0.13"},
               {"round(12345, digits: -3)", "12000"},
               {"round([1.25, 2.35], digits: 1)", "[1.3, 2.4]"},
               {"round(2.5)", "3"}});
  check_errors({{"sum(zeros(2, 3), over: [1, 1])", "sum: `over` names axis 1 twice", ""},
                {"median([])", "the median of no elements is undefined", ""},
                {"argmax([nan, nan])", "argmax of 2 elements that are all nan is undefined", ""}});
}

TEST_CASE("reductions of ranges are those of their elements, without the elements") {
  for (const char* range :
       {"1..10", "0..1 by 0.1", "-3..3", "5..-5 by -2", "0.5..7.3 by 0.4", "2..2", "-1..1 count 7"})
    for (const char* f :
         {"sum", "mean", "median", "variance", "std", "min", "max", "norm", "product", "argmin", "argmax"}) {
      const std::string r(range), name(f);
      if (r == "2..2" && (name == "variance" || name == "std")) continue;
      const auto program = "expect near(" + name + "(" + r + "), " + name + "((" + r +
                           ") + 0), absolute: 1e-12)\n" + "expect any(" + r + ") == any((" + r +
                           ") != 0)\nexpect all(" + r + ") == all((" + r + ") != 0)";
      const auto ran = run(program);
      CAPTURE(program, ran.messages);
      CHECK(ran.ok);
    }
  check_calls({{"sum(1..1e9)", "5.000000005e17"},
               {"mean(1..1e15)", "500000000000000.5"},
               {"max(-(1e12)..0)", "0"},
               {"all(1..1e12)", "true"},
               {"all(-5..1e12)", "false"}});
}

TEST_CASE("questions about long ranges take no memory for their elements") {
  set_memory_ceiling(Index{50} << 20);
  for (const char* program :
       {"expect any(1..1e8 > 5)", "expect not all(1..1e8 > 5)", "expect all(1..1e8 > 0)",
        "expect not any(1..1e8 < 1)", "expect any(99999999.5 < 1..1e8)",
        "r = 1..1e8\nexpect any(r == 77)\nexpect sum(r) == 5000000050000000",
        "expect mean(1..1e12) == 5e11 + 0.5", "expect max(-(1..1e9 by 2)[1..3]) == -1"}) {
    const auto ran = run(program);
    CAPTURE(program, ran.messages);
    CHECK(ran.ok);
  }
  set_memory_ceiling(0);
}

TEST_CASE("comprehensions of several loops are the loops themselves") {
  std::mt19937 random(21);
  for (int round = 0; round < 30; ++round) {
    const int n = static_cast<int>(random() % 5), m = static_cast<int>(random() % 5),
              l = static_cast<int>(random() % 3);
    const auto range = [](int count) { return "1.." + std::to_string(count); };
    const auto head = "a in " + range(n) + " for b in " + range(m) + " for c in " + range(l);
    const auto program =
        "v = [100 * a + 10 * b + c for " + head + " if (a + b) % 2 == 0]\nw = []\nfor a in " + range(n) +
        " { for b in " + range(m) + " { for c in " + range(l) +
        " { if (a + b) % 2 == 0 { w = append(w, 100 * a + 10 * b + c) } } } }\nexpect same(v, w)\n" +
        "t = [a * b for a in " + range(n) + " for b in 1..a]\nu = []\nfor a in " + range(n) +
        " { for b in 1..a { u = append(u, a * b) } }\nexpect same(t, u)\np = 1.." + std::to_string(n) +
        "\nexpect same([x - y for x, y in zip(p, reverse(p))], p - reverse(p))";
    const auto ran = run(program);
    CAPTURE(program, ran.messages);
    CHECK(ran.ok);
  }
  check_calls({{"[1, 2,]", "[1, 2]"},
               {"[1, 2 | 3, 4,]", "[1, 2 | 3, 4]"},
               {"{\"a\": 1,}", "{\"a\": 1}"},
               {"(a: 1,)", "(a: 1)"},
               {"[a for a, _ in zip([1, 2], [3, 4])]", "[1, 2]"}});
}
