// Every built-in is called with values that it was not made for: it gives a value or an error in the usual
// form, and nothing else happens.
#include <catch2/catch.hpp>
#include <random>

#include "array/buffer.h"
#include "base/memory.h"
#include "builtins/tables.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::vector<std::string> kHostile = {"none",
                                           "nan",
                                           "inf",
                                           "-inf",
                                           "0",
                                           "-1",
                                           "1.5",
                                           "1e300",
                                           "-0.0",
                                           "2",
                                           "\"\"",
                                           "\"a\"",
                                           "\"λ{{\"",
                                           "true",
                                           "[]",
                                           "[nan]",
                                           "[inf, 1]",
                                           "[1, 2, 3]",
                                           "[3, 1, 2]",
                                           "zeros(0, 3)",
                                           "zeros(3, 0)",
                                           "[1, 2 | 3, 4]",
                                           "ones(2, 2, 2)",
                                           "[true, false]",
                                           "[\"b\", \"a\"]",
                                           "1i",
                                           "[1i, 2]",
                                           "(1, 2)",
                                           "(a: 1, b: [1])",
                                           "(a: 3)",
                                           "(a: [2, 1], b: [\"x\", \"y\"])",
                                           "(a: [], b: [])",
                                           "{}",
                                           "{\"k\": 1}",
                                           "list()",
                                           "list(1, \"a\", none)",
                                           "fn(x) = x",
                                           "sum",
                                           "1..0",
                                           "1..3",
                                           "0..1 by 0.25",
                                           "interpolant([0, 1], [0, 1])",
                                           "int32([1, 2])",
                                           "uint8(200)",
                                           "int64([1, 2 | 3, 4])",
                                           "float32([0.5, 1])",
                                           "integrate(sin, 0, 1)",
                                           "line_fit([1, 2, 3], [1, 2, 4])",
                                           "[2, 1]'' "};

// The ceiling of the whole process is put back whatever happens.
struct Ceiling {
  explicit Ceiling(Index bytes) { set_memory_ceiling(bytes); }
  ~Ceiling() { set_memory_ceiling(0); }
  Ceiling(const Ceiling&) = delete;
  Ceiling& operator=(const Ceiling&) = delete;
};

bool fits(const std::string& messages) {
  // "error: …" with a place, and never a word of the machine's inside.
  return messages.find("error: ") != std::string::npos &&
         messages.find("\n  test.eq, line ") != std::string::npos &&
         messages.find("std::") == std::string::npos;
}

}  // namespace

TEST_CASE("every built-in meets hostile arguments with a value or a proper error") {
  const Ceiling ceiling(Index{1} << 26);
  std::mt19937_64 random(11);
  int errors = 0, values = 0;
  for (const auto& row : builtins().rows()) {
    if (row.constant) continue;
    const auto count = row.parameters.size();
    // What draws writes a figure each time.
    const int rounds = row.family == "figures" ? 12 : 60;
    for (int round = 0; round < rounds; ++round) {
      std::string call = std::string(row.name) + "(";
      const auto arguments = count == 0 ? 0 : random() % (std::min<std::size_t>(count, 4) + 1);
      for (std::size_t k = 0; k < arguments; ++k) {
        const auto& p = row.parameters[random() % count];
        // By position first, then by name.
        const bool named = k >= 2 && !p.many && !p.free_names;
        call += (k ? ", " : "") + (named ? std::string(p.name) + ": " : "") +
                kHostile[random() % kHostile.size()];
        if (named) break;
      }
      call += ")";
      const bool draws = row.family == "figures";
      const auto program = draws && row.name != "figure" && row.name != "panel"
                               ? "figure(\"f\") {\n    line([1, 2])\n    " + call + "\n}"
                           : row.name == "figure" || row.name == "panel" ? call + " {\n    line([1, 2])\n}"
                                                                         : "result = list(0)\n" + call;
      const auto ran = run(program);
      CAPTURE(program, ran.messages);
      if (ran.ok)
        ++values;
      else {
        ++errors;
        CHECK(fits(ran.messages));
      }
    }
  }
  CHECK(errors > 1000);
  CHECK(values > 500);
}

TEST_CASE("operators and subscripts meet hostile operands with a value or a proper error") {
  const Ceiling ceiling(Index{1} << 26);
  std::mt19937_64 random(12);
  const std::vector<std::string> forms = {"A + B",
                                          "A * B",
                                          "A *+ B",
                                          "A ^ B",
                                          "A % B",
                                          "A == B",
                                          "A < B",
                                          "not A",
                                          "-A",
                                          "A'",
                                          "A and B",
                                          "A..B",
                                          "A..B by 1",
                                          "0..1 count A",
                                          "[A, B]",
                                          "[A | B]",
                                          "A[B]",
                                          "A[B, 1]",
                                          "A[..]",
                                          "A[last]",
                                          "A[new, ...]",
                                          "A.x",
                                          "A(B)",
                                          "if A then 1 else 2",
                                          "\"{A}\"",
                                          "\"{A:.2f}\"",
                                          "\"{A:d}\"",
                                          "[k for k in A]",
                                          "(A, B)",
                                          "{A: B}",
                                          "each abs(A)",
                                          "x = A\nx[B] = A",
                                          "x = A\nx[1] += B",
                                          "x, y = A",
                                          "for k in A { y = k }",
                                          "x = A\nw = alias x[B]",
                                          "expect A == B",
                                          "while A { break }"};
  int errors = 0, values = 0;
  for (int round = 0; round < 4000; ++round) {
    auto program = forms[static_cast<std::size_t>(round) % forms.size()];
    for (const char name : {'A', 'B'}) {
      const auto value = "(" + kHostile[random() % kHostile.size()] + ")";
      for (auto at = program.find(name); at != std::string::npos; at = program.find(name, at + value.size()))
        program.replace(at, 1, value);
    }
    const auto ran = run(program);
    CAPTURE(program, ran.messages);
    if (ran.ok)
      ++values;
    else {
      ++errors;
      CHECK(fits(ran.messages));
    }
  }
  CHECK(errors > 500);
  CHECK(values > 500);
}

TEST_CASE("whatever a script makes grow comes to the ceiling, and the session goes on") {
  for (const char* program : {
           "t = \"lake\"\nfor k in 1..40 { t = \"{t}{t}\" }",
           "t = \"lake\"\nfor k in 1..40 { t = join_text([t, t]) }",
           "d = {\"a\": 1}\nfor k in 1..1e7 { d[k] = \"sounding {k} of the survey of the lake\" }",
           "v = []\nfor k in 1..1e7 { v = append(v, (depth: k, name: \"buoy\")) }",
           "v = list()\nfor k in 1..1e7 { v = append(v, [k, k]) }",
           "v = [\"sounding {k} of the survey\" for k in 1..1e8]",
           "v = zip(1..1e8, 1..1e8)",
           "fn deep(k) = if k == 0 then 0 else [k, deep(k - 1)]\nv = list(0)\nwhile true { v = list(v[1], v) "
           "}",
           "v = split_text(repeat_text(\"a b \", 1e8))",
       }) {
    const Ceiling ceiling(Index{100} << 20);
    const auto ran = run(program);
    CAPTURE(program, ran.messages);
    CHECK_FALSE(ran.ok);
    CHECK(fits(ran.messages));
    CHECK(memory_held() < (Index{400} << 20));
    CHECK(run("a = zeros(1000)\nexpect sum(a) == 0").ok);
  }
}

TEST_CASE("a function that calls itself through a callback of any kind comes to an error") {
  for (const char* body : {"each f(n, k: k + 1)", "each f(n, k + 1)", "sum([f(n, k + 1) for m in [1, 2]])",
                           "reduce(f, [1, 2, 3])", "integrate(fn(x) = f(n, k + 1), 0, 1)",
                           "find_root(fn(x) = f(n, k + 1), (0, 1))", "minimize(fn(x) = f(n, k + 1), (0, 1))",
                           "filter(fn(x) = f(n, k + 1) > 0, [1, 2])", "derivative(fn(x) = f(n, k + 1), 1)",
                           "scan(fn(a, b) = f(n, k + 1), [1, 2, 3])",
                           "evolve(fn(t, y) = f(n, k + 1), 1, over: 0..1)", "f(n, k + 1) + 1"}) {
    CAPTURE(body);
    const auto ran = run(std::string("fn f(n, k = 0) = ") + body + "\nf([1, 2])\n");
    CHECK_FALSE(ran.ok);
    CHECK(ran.messages.find("too deep") != std::string::npos);
  }
}

TEST_CASE("changes of views of one array do what changes of copies do, in every layout") {
  std::mt19937_64 random(31);
  const auto below = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  const std::vector<std::string> layouts = {
      "down([1.0, 2, 3, 4, 5])", "across([1.0, 2, 3, 4, 5])",           "reshape(1..20, 4, 5)",
      "reshape(1..20, 5, 4)\'",  "reverse([1.0, 2, 3, 4, 5])[new, ..]", "[1.0, 2, 3, 4, 5][.., new]",
      "reshape(1..5, 1, 5)",     "reshape(1..40, 5, 8)[.., 1..8 by 2]"};
  for (int round = 0; round < 300; ++round) {
    const auto& layout = layouts[static_cast<std::size_t>(below(static_cast<int>(layouts.size())))];
    const bool is_wide =
        layout.find("across") == 0 || layout.find("reverse") == 0 || layout == "reshape(1..5, 1, 5)";
    const int first = 1 + below(3), second = 1 + below(3), count = below(2);
    const auto part = [&](int from) {
      const auto range = std::to_string(from) + ".." + std::to_string(from + count);
      return is_wide ? "[1, " + range + "]" : "[" + range + ", 1]";
    };
    const std::string operation = below(2) == 0
                                      ? " = 0.5 * (SOURCE" + part(first) + " + SOURCE" + part(second) + ")"
                                      : " += 2 * SOURCE" + part(second) + " - 1";
    const auto with = [&](const std::string& source) {
      auto text = operation;
      for (auto at = text.find("SOURCE"); at != text.npos; at = text.find("SOURCE"))
        text.replace(at, 6, source);
      return text;
    };
    const auto program = "a = " + layout + "\nb = " + layout + "\nc = a + 0\na" + part(first) + with("a") +
                         "\nb" + part(first) + with("c") + "\nprint(same(a, b))\n";
    CAPTURE(program);
    CHECK(run(program).printed == "true\n");
  }
}

TEST_CASE("ranges of large numbers have the steps of their ends, and come to an end") {
  for (const char* call : {"all(1e17..1e17+100)", "product(1e17..1e17+100)", "any(-1e17..-1e17+100)",
                           "for k in 2^53..2^53 + 8 { print(k) }", "x = 0.1..0.1 + 1e-16 by 1e-18"}) {
    CAPTURE(call);
    CHECK(error_of(call).find("is smaller than the spacing of float64 numbers") != std::string::npos);
  }
  CHECK(run("print(all(1e17..1e17+1600 by 16), product(1e17..1e17+1600 by 16), any(-1e17..-1e17+1600 by 16))")
            .printed == "true inf true\n");
  CHECK(run("print(length(2^53 - 4..2^53), all(-1e300..-1e299 by 1e299))").printed == "5 true\n");
  CHECK(run("print(all(-3..5), all(1..5), all(-1..-0.5 by 0.5))").printed == "false true true\n");
}
