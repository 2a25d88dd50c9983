// What check says of values, and that it is right: a program in which it finds an error fails when it runs.
#include "session/check_values.h"

#include <catch2/catch.hpp>

#include <random>

#include "builtins/tables.h"
#include "session/check.h"
#include "support/effort.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// The first finding that is no unused name: "error 2: message".
std::string finding_in(const std::string& text, MemoryHost host = {}) {
  const auto checked = check_script(host, "test.eq", text);
  for (const auto& f : checked.findings) {
    if (f.error.message.find("is not used") != std::string::npos) continue;
    return (f.is_error ? "error " : "warning ") +
           std::to_string(checked.source->position(f.error.location.span.begin).line) + ": " +
           f.error.message;
  }
  return "";
}

bool has_errors(const std::string& text) {
  MemoryHost host;
  return check_script(host, "test.eq", text).has_errors();
}

}  // namespace

TEST_CASE("what values are known to be is enough to find a mistake") {
  const std::vector<std::pair<std::string, std::string>> rows = {
      {"print(y)\ny = 3", "error 1: `y` is used before it is assigned in line 2"},
      {"f(1)\nfn f(x) = x", "error 1: `f` is used before it is assigned in line 2"},
      {"fn f() = y + 1\nx = f()\ny = 3", "warning 2: `f` reads `y` before it is assigned in line 3"},
      {"fn f() = g()\nfn g() = y\nx = f()\ny = 3",
       "warning 3: `f` reads `y` before it is assigned in line 4"},
      {"fn f() { x = 1 }\ny = f()", "error 2: f ended without a result to assign"},
      {"fn f() { x = 1 }\ny = 1 + f()", "error 2: `+` takes arrays, but the call returns no result"},
      {"section \"A\"\nsection \"A\"", "error 2: duplicate section: \"A\""},
      {"figure(\"a\") { line([1]) }\nfigure(\"a\") { line([2]) }",
       "warning 2: the figure \"a\" is drawn twice: the second one replaces the first"},
      {"x = 3\nprint(\"{x:.2q}\")", "error 2: `.2q` is not a format for the number 3"},
      {"print(\"{\"a\":.2f}\")", "error 1: `.2f` is not a format for the text \"a\""},
      {"x = load(\"a.csv\")\nprint(\"{x:zz}\")", "error 2: `zz` is not a valid format"},
      {"v = [1, 2, 3]\nprint(v[0])",
       "error 2: index 0 does not exist: indices start at 1 (valid indices are 1..3)"},
      {"v = 1..3\nprint(v[4])", "error 2: index 4 is out of range: valid indices are 1..3"},
      {"m = zeros(2, 3)\nprint(m[1, 4])",
       "error 2: index 4 is out of range: valid indices of axis 2 are 1..3"},
      {"m = zeros(2, 3)\nprint(m[1])", "error 2: 1 subscript for an array of shape 2×3, which has 2 axes"},
      {"x = 5\nif x { print(1) }", "error 2: a condition must be a boolean, not the number 5"},
      {"while 1 { print(1) }", "error 1: a condition must be a boolean, not the number 1"},
      {"v = [1, 2]\nif v > 1 { print(1) }",
       "error 2: a condition must be a single boolean, not a vector of 2 booleans"},
      {"x = 3\nif x == 3 or 4 { print(1) }", "warning 2: `or` takes booleans, not the number 4"},
      {"for k in 7 { print(k) }", "error 1: a loop cannot iterate over the number 7"},
      {"a, b = [1, 2, 3]", "error 1: 2 names for 3 parts"},
      {"a, b = (1, 2, 3)", "error 1: 2 names for 3 parts"},
      {"a = zeros(2, 3)\nb = ones(2, 2)\nc = a + b", "error 3: shapes do not match: 2×3 + 2×2"},
      {"a = zeros(2, 3)\nc = a *+ a", "error 2: shapes do not match: 2×3 *+ 2×3"},
      {"a = [1, 2]\nc = a'", "error 2: a vector has no second axis to transpose"},
      {"a = [1, 2 | 3]", "error 1: rows of different lengths: row 1 has 2 columns, row 2 has 1"},
      {"x = \"a\" + 1", "error 1: + takes numbers, not text"},
      {"r = (a: 1)\nx = r.b", "error 2: the record has no field `b`"},
      {"x = 1..5 by 0", "error 1: the step of a range cannot be 0"},
      {"y = evolve(fn(y) = -y, 1, 0..3)",
       "error 1: evolve: `f` is called with 2 arguments, but this function takes 1"},
      {"fn g(a, b) = a\nx = derivative(g, at: 1)",
       "error 2: derivative: `f` is called with 1 argument, but this function takes 2"},
      {"m = mean([1], keep: 3)", "error 1: mean: `keep` must be true or false, not 3"},
      {"digits(40)", "error 1: digits: `n` must be an integer from 1 to 17, not 40"},
      {"figure(\"x\") { line([1, 2], marker: \"dsk\") }",
       "error 1: line: `marker` must be \"disc\", \"ring\", \"square\", \"diamond\", \"triangle\", "
       "\"cross\", \"plus\" or \"none\", not \"dsk\""},
      {"x = integrate_samples([1, 2], [3, 4], rule: \"simson\")",
       "error 1: integrate_samples: `rule` must be one of \"trapezoid\" or \"simpson\", not "
       "\"simson\""},
      {"fn g(x) { return \"a\" * x }", "warning 1: * takes numbers, not text"},
      {"x = 3\nif x > 2 { y = [1][2] }", "warning 2: index 2 is out of range: valid indices are 1..1"}};
  for (const auto& [text, finding] : rows) {
    CAPTURE(text);
    CHECK(finding_in(text) == finding);
  }
  // What is found to be an error is one when the program runs.
  for (const auto& [text, finding] : rows) {
    CAPTURE(text);
    if (finding.starts_with("error") && text.find("load") == std::string::npos) CHECK_FALSE(run(text).ok);
  }
}

TEST_CASE("calls of functions of used files are looked at") {
  MemoryHost host;
  host.files["tides.eq"] = "fn level(t, phase = 0) = sin(t + phase)\nmean_level = 3";
  CHECK(finding_in("use \"tides.eq\" as tides\nprint(tides.level(1, 2, 3))", host) ==
        "error 2: level(t, phase: …) takes 2 arguments, and 3 are given");
  CHECK(finding_in("use \"tides.eq\" as tides\nprint(tides.level(1, phase: 2), tides.mean_level)", host)
            .empty());
}

TEST_CASE("what may be right is not reported") {
  for (const std::string text :
       {"x = 1\nfor k in 1..3 { x = zeros(k, k) }\ny = x[1, 1]",
        "x = [3, 4, 5]\nif random() > 2 { x = [1, 2] }\ny = x[3]", "d = {0: 1, -1: 2}\nprint(d[0], d[-1])",
        "fn f(n) = if n == 0 then 1 else n * f(n - 1)\nprint(f(3))", "fn f() = later\nlater = 3\nprint(f())",
        "v = []\nfor k in 1..3 { v = append(v, k) }\nprint(v[2])", "x = 5\nx = [1, 2, 3]\nprint(x[3])",
        "given n = 3 \"count\"\nv = zeros(n)\nprint(v[3])",
        "a = [1, 2, 3]\nw = alias a[1..2]\nw[2] = 5\nprint(w[2])",
        "x = if random() > 2 then [1, 2] else 3\nprint(x)",
        "fn f(x) { if x > 1 { return 1 } else { return 2 } }\ny = f(3)", "t = \"x\"\nt = 3\nprint(t + 1)",
        "a, b = (1, [1, 2])\nprint(a + 1, b[2])", "m = zeros(2, 2)\nprint(m[m < 1])",
        "for k in 1..3 { if k > 1 { print(last_one) }\nlast_one = k }",
        "x = 3\nprint(\"{x:d} {x:.2f} {x:8}\")", "r = (a: 1)\nr = with(r, b: 2)\nprint(r.b)",
        "v = 1..4\nprint(v[last], v[1..2], v[..])"}) {
    CAPTURE(text);
    CHECK(finding_in(text).empty());
    CHECK(run(text).ok);
  }
  // The examples of the built-ins run, so that check finds no error in them.
  for (const auto& row : builtins().rows()) {
    if (row.example.empty()) continue;
    CAPTURE(row.example);
    CHECK_FALSE(has_errors(std::string(row.example)));
  }
}

TEST_CASE("what is known of the results of built-ins is what they give") {
  const std::pair<std::string, Value> samples[] = {{"2", Value(2)},
                                                   {"-3.5", Value(-3.5)},
                                                   {"true", Value::boolean(true)},
                                                   {"\"a\"", Value::text("a")},
                                                   {"v", value_of("v = [3, 1, 2]", "v")},
                                                   {"m", value_of("m = [3, 1, 2 | 4, 5, 6]", "m")},
                                                   {"b", value_of("b = [true, false, true]", "b")},
                                                   {"c", value_of("c = 1..3", "c")},
                                                   {"q", value_of("q = zeros(2, 2)", "q")}};
  const std::string names =
      "v = [3, 1, 2]\nm = [3, 1, 2 | 4, 5, 6]\nb = [true, false, true]\nc = 1..3\nq = zeros(2, 2)\n";
  int known_ones = 0;
  const auto look = [&](const Builtin& row, const std::string& written,
                        const std::vector<AbstractValue>& arguments) {
    const auto call = std::string(row.name) + "(" + written + ")";
    CAPTURE(call);
    AbstractValue known;
    try {
      known = abstract_result(row.name, arguments, false);
    } catch (const Error&) {
      ++known_ones;
      CHECK_FALSE(run(names + "x = " + call).ok);
      return;
    }
    if (known.is(AbstractValue::Kind::anything)) return;
    MemoryHost host;
    TestSession session(host, {});
    if (!session.run("t", names + "x = " + call)) return;
    ++known_ones;
    const auto is = abstract_value_of(*session.find("x"));
    CHECK(known.kind == is.kind);
    if (known.number) CHECK(known.number == is.number);
    if (known.shape) CHECK(known.shape == is.shape);
    if (known.are_booleans) CHECK(is.are_booleans);
  };
  for (const auto& row : builtins().rows()) {
    if (row.family == "files" || row.family == "figures" || row.name == "fail" || row.name == "ask") continue;
    for (const auto& [a, first] : samples) {
      look(row, a, {abstract_value_of(first)});
      for (const auto& [b, second] : samples)
        look(row, a + ", " + b, {abstract_value_of(first), abstract_value_of(second)});
    }
    look(row, "", {});
    look(row, "m, 3, 2", {abstract_value_of(samples[5].second), abstract_number(3), abstract_number(2)});
  }
  CAPTURE(known_ones);
  CHECK(known_ones > 500);
}

namespace {

// Programs of all kinds of statements over a few names, right and wrong ones.
class Programs {
 public:
  explicit Programs(unsigned seed) : random_(seed) {}
  std::string next() {
    std::string out;
    const int count = 1 + below(3);
    for (int k = 0; k < count; ++k) out += statement(0) + "\n";
    return out;
  }

 private:
  int below(int n) { return static_cast<int>(random_() % static_cast<unsigned>(n)); }
  std::string one_of(std::initializer_list<const char*> items) {
    return *(items.begin() + below(static_cast<int>(items.size())));
  }
  std::string name() { return one_of({"a", "b", "c", "d", "a", "b", "c", "d", "e"}); }
  std::string value(int depth) {
    if (depth > 2 || below(4) == 0)
      return one_of({"1", "2", "0", "[1, 2]", "[1, 2 | 3, 4]", "zeros(2, 2)", "ones(3)", "1..3", "\"t\"",
                     "true", "(1, 2)", "(x: 1, y: [2, 3])", "[true, false]", "none", "{1: 2}", "random(2)"});
    const auto x = [&] { return value(depth + 1); };
    switch (below(16)) {
      case 14: return "(1 < " + x() + " < " + x() + ")";
      case 15: {
        const auto& rows = builtins().rows();
        const auto& row = rows[random_() % rows.size()];
        return row.unary ? std::string(row.name) + "(" + x() + ")" : name();
      }
      case 0:
      case 1: return name();
      case 2: return x() + one_of({" + ", " * ", " - ", " *+ ", " / "}) + name();
      case 3: return "(" + x() + one_of({" > ", " == ", " < "}) + x() + ")";
      case 4: return name() + "[" + x() + "]";
      case 5:
        return name() + "[" + one_of({"1", "2", "3", "last", ".."}) + ", " + one_of({"1", "2", "3", ".."}) +
               "]";
      case 6:
        return one_of({"sum(", "length(", "shape(", "across(", "down(", "sqrt(", "reverse(", "abs("}) + x() +
               ")";
      case 7: return "(" + x() + one_of({" and ", " or "}) + x() + ")";
      case 8: return "[" + x() + ", " + x() + "]";
      case 9: return "(if " + x() + " then " + x() + " else " + x() + ")";
      case 10: return "f(" + x() + ")";
      case 11: return name() + one_of({".x", ".y", "'"});
      case 12: return "[" + x() + " for k in " + x() + "]";
      default: return "\"{" + name() + one_of({"", ":.2f", ":d"}) + "}\"";
    }
  }
  std::string statement(int depth) {
    switch (below(depth > 1 ? 4 : 12)) {
      case 10:
        return "expect " + one_of({"b > 1", "b > 9", "not is_nan(b)"}) + ", \"e is {" + value(1) + "}\"";
      case 11: return "g = fn(x) = " + value(1);
      case 0:
      case 1:
      case 2: return name() + " = " + value(1);
      case 3: return name() + one_of({" += ", " *= "}) + value(2);
      case 4:
        return "if " +
               one_of({"b > 1", "sum(a) > 9", "true", "b", "a", "b == 3 or false", "is_nan(b)",
                       "not is_nan(sum(a))", "e"}) +
               " { " + statement(depth + 1) + " }";
      case 5: return "for k in " + value(1) + " { " + statement(depth + 1) + " }";
      case 6: return name() + ", " + name() + " = " + value(1);
      case 7: return name() + "[" + one_of({"1", "2", "1, 2"}) + "] = " + value(1);
      case 8: return below(2) ? "fn f(x) = x + 1" : "fn f(x) { y = " + value(2) + " }";
      default: return "print(" + value(1) + ")";
    }
  }
  std::mt19937 random_;
};

}  // namespace

TEST_CASE("programs with errors that check finds fail, those that run have none") {
  Programs programs(11);
  int ran = 0, found = 0, failed = 0, differences = 0;
  for (int k = 0; k < repeats(6000); ++k) {
    const auto text = "a = [1, 2]\nb = 3\nc = [1, 2 | 3, 4]\nd = 1..3\nfn f(x) = x\n" + programs.next();
    const bool says = has_errors(text);
    const bool ok = run(text).ok;
    ran += ok;
    failed += !ok;
    found += says;
    if (says && ok) {
      ++differences;
      CAPTURE(text, finding_in(text));
      CHECK_FALSE(says);
    }
  }
  CAPTURE(ran, failed, found);
  CHECK(differences == 0);
  CHECK(ran > repeats(300));
  CHECK(found > failed / 3);
}

TEST_CASE("at the prompt an entry is looked at before it runs") {
  PromptSession prompt;
  CHECK(prompt.session->run("1", "v = [1, 2, 3]"));
  CHECK_FALSE(prompt.session->run("2", "print(\"before\"); x = v[4]"));
  CHECK(prompt.host.printed.find("before") == std::string::npos);
  CHECK(prompt.host.messages.find("index 4 is out of range") != std::string::npos);
  CHECK(prompt.session->run("3", "fn g(x) { return \"a\" * x }"));
  CHECK(prompt.host.messages.find("* takes numbers, not text") != std::string::npos);
}
