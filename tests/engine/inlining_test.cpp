// Fused comprehensions and inlined functions have the results of items and calls one by one.
#include <catch2/catch.hpp>
#include <cstring>
#include <random>

#include "array/buffer.h"
#include "base/memory.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// Texts of random elementwise expressions of single numbers.
class Expressions {
 public:
  Expressions(std::vector<std::string> leaves, unsigned seed) : leaves_(std::move(leaves)), random_(seed) {}
  std::string number(int depth) {
    if (depth == 0) return leaves_[next(leaves_.size())];
    const auto one = [&] {
      return number(depth - 1 - static_cast<int>(next(static_cast<std::size_t>(depth))));
    };
    switch (next(9)) {
      case 0: return "(" + one() + " + " + one() + ")";
      case 1: return "(" + one() + " - " + one() + ")";
      case 2: return one() + " * " + one();
      case 3: return "(" + one() + " / (1.5 + abs(" + one() + ")))";
      case 4: return "exp(-abs(" + one() + "))";
      case 5: return "cos(" + one() + ")";
      case 6: return "(if " + boolean(depth - 1) + " then " + one() + " else " + one() + ")";
      case 7: return "(-" + one() + ")";
      default: return "max(" + one() + ", " + one() + ")";
    }
  }
  std::string boolean(int depth) {
    const char* const signs[] = {" < ", " >= ", " == ", " != "};
    const auto compared = [&] { return number(depth / 2) + signs[next(4)] + number(depth / 2); };
    switch (next(4)) {
      case 0: return "(" + compared() + " and " + compared() + ")";
      case 1: return "(not " + compared() + ")";
      default: return "(" + compared() + ")";
    }
  }
  std::size_t next(std::size_t count) {
    return std::uniform_int_distribution<std::size_t>(0, count - 1)(random_);
  }

 private:
  std::vector<std::string> leaves_;
  std::mt19937 random_;
};

Index passes_of(const std::string& text) {
  MemoryHost host;
  TestSession session(host, {});
  const auto before = passes_begun;
  REQUIRE(session.run("a", text));
  return static_cast<Index>(passes_begun - before);
}

const std::string kInlinedNames =
    "u = random(9, 11)\nv = random(14) * 4 - 2\nc = 0.75\nn = 2\n"
    "fn kept(x) {\n  return x\n}\n";

}  // namespace

TEST_CASE("items of fused comprehensions are the items one by one") {
  Expressions some({"k", "c", "2", "-0.5", "v[k]", "v[k + 1]", "v[15 - k]", "u[k, n]", "u[1 + n, 2 * k - 1]",
                    "u[k, k + n]"},
                   1);
  for (int round = 0; round < 150; ++round) {
    const auto item = round % 5 == 4 ? some.boolean(3) : some.number(4);
    INFO(item);
    CHECK(run(kInlinedNames + "expect same([" + item + " for k in 1..6], [" + item +
              " for k in 1..6 if 1 == 1])")
              .ok);
  }
}

TEST_CASE("items of fused grids are the items one by one") {
  Expressions some({"i", "j", "c", "3", "u[i, j]", "u[i - 1, j]", "u[i, j + n]", "u[n + 7 - i, 2]",
                    "v[i + j - 2]", "v[j]"},
                   2);
  for (int round = 0; round < 150; ++round) {
    const auto item = some.number(4);
    const std::string loops = some.next(2) ? " for i down 2..8 by 2, j across 3..8]"
                                           : " for j across 3..8 by 5, i down 6..3 by -1]";
    INFO(item << loops);
    CHECK(run(kInlinedNames + "expect same([" + item + loops + ", [kept(" + item + ")" + loops + ")").ok);
  }
}

TEST_CASE("items side by side and items that are chosen are those one by one") {
  Expressions some({"a", "b", "c", "2", "n"}, 7);
  for (int round = 0; round < 120; ++round) {
    const auto item = some.number(3), condition = some.boolean(2);
    INFO(item << " if " << condition);
    const auto pairs = " for a, b in zip(v, 1..14)";
    CHECK(run(kInlinedNames + "expect same([" + item + pairs + "], [kept(" + item + ")" + pairs + "])").ok);
    CHECK(run(kInlinedNames + "expect same([" + item + pairs + " if " + condition + "], [kept(" + item + ")" +
              pairs + " if kept(" + condition + ")])")
              .ok);
  }
  CHECK(run("w = [sqrt(k) for k in -3..9 if k >= 0]\nexpect length(w) == 10 and w[10] == 3")
            .messages.find("warning") == std::string::npos);
  CHECK_FALSE(run("w = [a + b for a, b in zip([1, 2], [1, 2, 3])]").ok);
  CHECK(run("w = [a * 2 for a in [3, 1] if a > 5]\nexpect length(w) == 0").ok);
  CHECK(run("k = int64([3, 4])\nw = [float64(a) / 2 + int64(7) for a in k]\nexpect same(w, [8.5, 9])").ok);
  CHECK(
      run("x = [1, 2.5]\ny = float32(x) * 2\nexpect same(y, float32([2, 5]))\nexpect type(y) == \"float32\"")
          .ok);
  const auto fraction = run("x = [1, 2.5]\ny = int64(x) * 2");
  CHECK_FALSE(fraction.ok);
  CHECK(fraction.messages.find("2.5") != std::string::npos);
}

TEST_CASE("functions that are inlined give what their calls give") {
  for (unsigned round = 0; round < 100; ++round) {
    Expressions inner({"x", "y", "c", "2", "w"}, round),
        outer({"v", "c", "1", "f(v, 2)", "g(c, v)", "f(g(v, v), c)", "f(2, 3)"}, round + 1000);
    // Without choices, which arrays do not decide.
    const auto plain = [](Expressions& from, int depth) {
      std::string text;
      do text = from.number(depth);
      while (text.find("if ") != std::string::npos);
      return text;
    };
    const auto f = plain(inner, 3), g = plain(inner, 2), whole = plain(outer, 3);
    INFO("f = " << f << "\ng = " << g << "\n" << whole);
    const auto text = [&](bool calls) {
      const auto body = [&](const std::string& one) {
        return calls ? "{ return " + one + " }\n" : "= " + one + "\n";
      };
      return "fn f(x, y) " + body(f) + "fn g(x, y) " + body("f(y, x) + " + g) + "w = 1.25\n";
    };
    const std::string start = "seed(5)\nv = random(40) * 4 - 2\nc = 0.75\n",
                      end = "result = 0 * v + " + whole;
    const auto written = to_array(value_of(start + text(false) + end)).to_vector<double>();
    const auto called = to_array(value_of(start + text(true) + end)).to_vector<double>();
    CHECK(std::memcmp(written.data(), called.data(), 40 * sizeof(double)) == 0);
  }
}

TEST_CASE("an expression with functions of the script is one fused region") {
  const std::string start = "x = random(300)\ny = random(300)\nA = 2\nfn bump(x, y) = A * exp(-x^2 - y^2)\n";
  CHECK(passes_of(start + "z = 1 + bump(x, y) / 2") - passes_of(start) == 1);
  CHECK(passes_of(start + "fn twice(x) = bump(x, x) * 2\nz = sum(twice(x) + bump(2, y))") -
            passes_of(start) ==
        1);
  CHECK(passes_of(start + "c = 1\nz = [bump(k, c) * k for k in 1..50]") - passes_of(start) == 1);
  CHECK(passes_of(start + "fn line(x) = A * x + 1\nz = zeros(300)\nz[2..101] = line(x[1..100]) * 2") -
            passes_of(start + "z = zeros(300)") ==
        1);
}

TEST_CASE("a function that is given another meaning is called by its new one") {
  CHECK(run("fn f(x) = x + 1\nfn g(x) = f(x) * 2\nv = [1, 2, 3]\nfor round in 1..2 {\n  w = g(v) + 1\n"
            "  expect same(w, if round == 1 then [5, 7, 9] else [3, 5, 7])\n  f = fn(x) = x\n}")
            .ok);
  CHECK(run("fn scaled(by) = fn(x) = x * by\na = scaled(2)\nb = scaled(3)\nv = [1, 2, 3]\n"
            "expect same(a(v) + b(v), 5 * v)\nexpect same([a(b(k)) + 1 for k in v], 6 * v + 1)")
            .ok);
  CHECK(
      run("fn applied(f, x) = f(x) + f(2 * x)\nexpect same(applied(sin, 1..3), sin(1..3) + sin(2..6 by 2))\n"
          "fn half(x) = x / 2\nexpect same(applied(half, 1..3), 1.5 * (1..3))")
          .ok);
}

TEST_CASE("functions that are given to functions are called") {
  const std::string start =
      "fn applied(f, x) = f(x) + f(2 * x)\nfn half(x) = x / 2\nfn twice(f) = fn(x) = f(f(x))\nv = [1, 2, "
      "3]\n";
  CHECK(run(start + "expect same(1 + applied(half, v), 1 + 1.5 * v)\nexpect same(1 + applied(sin, v), 1 + "
                    "(sin(v) + sin(2 * v)))")
            .ok);
  CHECK(run(start + "q = twice(half)\nexpect same(q(v) * 4, v)\nexpect same([q(k) * 4 for k in v], v)").ok);
  CHECK(run(start + "expect same([applied(half, k) + 1 for k in v], 1.5 * v + 1)").ok);
  // Names without a value, of other kinds, and with defaults.
  CHECK_FALSE(run("v = [1, 2]\nfn f(x) = x * missing\nw = f(v) + 1").ok);
  CHECK(run("v = [1, 2]\nfn f(x, y = 3) = x * y\nexpect same(f(v) + 1, [4, 7])\nexpect same([f(k) + 1 for k "
            "in v], [4, 7])")
            .ok);
  CHECK_FALSE(run("v = [1, 2]\nfn f(x) = x * 2\nw = f(v, v) + 1").ok);
  CHECK(run("v = [1, 2]\nd = {\"a\": fn(x) = x + 1}\nexpect same(d[\"a\"](v) * 2, [4, 6])").ok);
  CHECK(run("fn fib(n) = if n < 2 then n else fib(n - 1) + fib(n - 2)\nexpect same([fib(k) + 0 for k in "
            "1..7], [1, 1, 2, 3, 5, 8, 13])")
            .ok);
}

TEST_CASE("calls and items do what they do in the order of the text") {
  // What a function prints comes before what fails after it.
  const auto called = run("fn f(x) {\n  print(\"called\")\n  return x\n}\nv = [1, 2]\nw = f(v) + v[3] * 2");
  CHECK_FALSE(called.ok);
  CHECK(called.printed.find("called") != std::string::npos);
  const auto chosen =
      run("fn f(x) {\n  print(\"first\")\n  return x\n}\nfn g() {\n  print(\"second\")\n  return 1\n}\n"
          "fn h(x) = x * 2 + 1\nv = [1, 2]\nw = v[f(v) > 0] * g() + h(v)");
  CHECK(chosen.ok);
  CHECK(chosen.printed.find("first") < chosen.printed.find("second"));
  // The right side of an assignment comes before the places on its left.
  for (const auto* const source : {"f(v) * 2", "[f(k) for k in v]"}) {
    const auto order =
        run("fn f(x) {\n  print(\"right\")\n  return x\n}\nfn g(x) {\n  print(\"left\")\n  return x\n}\n"
            "v = [1, 2]\nu = [0, 0, 0]\nu[g(1)..2] = " +
            std::string(source) + "\n");
    CAPTURE(source, order.messages);
    CHECK(order.ok);
    CHECK(order.printed.find("right") < order.printed.find("left"));
  }
  CHECK_FALSE(run("v = [1, 2, 3]\nw = [v[k + 0.5] for k in 1..2]").ok);
  // The first item outside of an array is reported, and nothing before the loop fails.
  const auto outside = run("v = [1, 2, 3]\nw = [v[k + 1] * 2 for k in 1..3]");
  CHECK_FALSE(outside.ok);
  CHECK(outside.messages.find("4") != std::string::npos);
  CHECK(
      run("v = [1, 2, 3]\nw = [if k < 3 then v[k + 1] else 0 for k in 1..3]\nexpect same(w, [2, 3, 0])").ok);
  CHECK(run("w = [1 / k for k in 1..0]\nexpect length(w) == 0").ok);
  const auto negative = run("w = [sqrt(k) + 1 for k in -2..1]\nexpect is_nan(w[1])");
  CHECK(negative.ok);
  CHECK(negative.messages.find("the result of sqrt is not real") != std::string::npos);
  CHECK(run("m = [[1, 2] * k for k in 1..3]\nexpect same(shape(m), [3, 2])").ok);
  CHECK(run("t = [k > 1 for k in 1..3]\nexpect same(t, (1..3) > 1)").ok);
  CHECK(run("w = [if k > 1 then k else k > 0 for k in 1..2]\nexpect w[2] == 2").ok ==
        run("w = [if k > 1 then k else k > 0 for k in 1..2 if 1 == 1]\nexpect w[2] == 2").ok);
  CHECK(run("i = int32([4, 5, 6])\nw = [i[k] * 2 for k in 1..3]\nexpect same(w, [i[k] * 2 for k in 1..3 if 1 "
            "== 1])")
            .ok);
}

TEST_CASE("a sweep by comprehension makes no arrays where it may write in place") {
  MemoryHost host;
  TestSession session(host, {});
  REQUIRE(session.run("a", "u = zeros(100, 100)\nu[1, ..] = 1\nv = u"));
  const std::string sweep =
      "u[2..99 by 2, 2..99 by 2] = [0.25 * (u[i-1, j] + u[i+1, j] + u[i, j-1] + u[i, j+1]) for i down 2..99 "
      "by 2, "
      "j across 2..99 by 2]\n";
  REQUIRE(session.run("b", sweep));
  const auto before = memory_use().arrays;
  REQUIRE(session.run("c", sweep));
  CHECK(memory_use().arrays == before);
  REQUIRE(session.run(
      "d",
      "for round in 1..2 {\n  v[2..99 by 2, 2..99 by 2] = 0.25 * (v[1..98 by 2, 2..99 by 2] + v[3..100 by 2, "
      "2..99 by 2] + v[2..99 by 2, 1..98 by 2] + v[2..99 by 2, 3..100 by 2])\n}\nexpect same(u, v)"));
}
