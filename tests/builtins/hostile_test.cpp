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
