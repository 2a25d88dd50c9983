// Values move where they can: what a step allocates does not depend on how large its arrays are.
#include <catch2/catch.hpp>

#include "array/buffer.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// The bytes allocated by a text that must run.
Index bytes_of(const std::string& text, bool interactive = false) {
  MemoryHost host;
  SessionOptions options;
  options.interactive = interactive;
  TestSession session(host, options);
  const auto before = memory_use().bytes;
  CAPTURE(text, host.messages);
  REQUIRE(session.run("t", text));
  return memory_use().bytes - before;
}

constexpr Index kVector = 8 * 10000;

}  // namespace

TEST_CASE("append works in place") {
  const std::string loop = "for k in 1..10000 { a = append(a, k) }";
  for (const bool interactive : {false, true}) {
    // Doubling the room costs less than three times the end; the items themselves are 8 bytes each.
    CHECK(bytes_of("a = []\n" + loop, interactive) < 5 * kVector);
    CHECK(bytes_of("fn f() {\n a = []\n " + loop + "\n return a\n}\nb = f()", interactive) < 5 * kVector);
  }
  CHECK(bytes_of("m = []\nfor k in 1..10000 { m = append(m, [k, k]) }") < 12 * kVector);
  CHECK(bytes_of("t = [\"a\"]\nfor k in 1..1000 { t = append(t, \"b\") }") < 8000 * 32);
}

TEST_CASE("a copy that somebody else holds keeps its elements") {
  CHECK(run("a = [1]\nb = a\na = append(a, 2)\na = append(a, 3)\nb = append(b, 9)\nprint(a)\nprint(b)")
            .printed == "  1  2  3\n  1  9\n");
  CHECK(run("a = [1, 2]\nfn f() = a\na = append(a, 3)\nb = f()\na[1] = 7\nprint(b)").printed ==
        "  1  2  3\n");
  CHECK(run("a = [1, 2, 3, 4]\nb = a[1..2]\nb = append(b, 9)\nprint(a)\nprint(b)").printed ==
        "  1  2  3  4\n  1  2  9\n");
}

TEST_CASE("elements are changed in place") {
  CHECK(bytes_of("a = zeros(10000)\nfor k in 1..10000 { a[k] = k }") < 2 * kVector);
  CHECK(bytes_of("a = zeros(10000)\nfor k in 1..1000 { a[2..last] += 1 }") < 2 * kVector);
  CHECK(bytes_of("a = zeros(100, 100)\nfor k in 1..100 { a[k, k] += 1 }") < 2 * kVector);
  CHECK(bytes_of("a = zeros(10000)\nfor k in 1..100 { a += 1 }") < 2 * kVector);
}

TEST_CASE("a function that returns its changed argument works in place") {
  const std::string sweep = "fn sweep(V, w) {\n  V[1] += w\n  return V\n}\n";
  CHECK(bytes_of(sweep + "V = zeros(10000)\nfor k in 1..1000 { V = sweep(V, k) }") < 2 * kVector);
  CHECK(bytes_of(
            sweep +
            "fn run() {\n V = zeros(10000)\n for k in 1..1000 { V = sweep(V, k) }\n return V\n}\nr = run()") <
        2 * kVector);
  // Several values too.
  CHECK(bytes_of("fn step(t, V) {\n  V[1] = t\n  return t + 1, V\n}\nt = 0\nV = zeros(10000)\n"
                 "for k in 1..1000 { t, V = step(t, V) }") < 2 * kVector);
  // Not where the function can see the name, or where it occurs twice.
  CHECK(run("V = [1, 2]\nfn f(W) {\n  W[1] = 5\n  return W + V\n}\nV = f(V)\nprint(V)").printed ==
        "  6  4\n");
  CHECK(run("fn f(a, b) {\n  a[1] = 5\n  return a + b\n}\nV = [1, 2]\nV = f(V, V)\nprint(V)").printed ==
        "  6  4\n");
  CHECK(run("fn f(a, g) {\n  a[1] = 5\n  return a + g()\n}\nV = [1, 2]\nV = f(V, fn() = V)\nprint(V)")
            .printed == "  6  4\n");
}

TEST_CASE("functions of an earlier text see a name that a later one replaces") {
  MemoryHost host;
  TestSession session(host, {});
  REQUIRE(session.run("1", "V = [1, 2]\nfn f(W) {\n  W[1] = 5\n  return W + V\n}"));
  CHECK(session.run("2", "V = f(V)\nprint(V)"));
  CHECK(host.printed == "  6  4\n");
}

TEST_CASE("at the prompt an error leaves every variable as it was") {
  MemoryHost host;
  SessionOptions options;
  options.interactive = true;
  TestSession session(host, options);
  REQUIRE(session.run("1", "V = [1, 2]\nfn sweep(V) {\n  V[1] = 9\n  return V[5]\n}"));
  CHECK_FALSE(session.run("2", "V = sweep(V)"));
  CHECK_FALSE(session.run("3", "V = append(V, [1, 2, 3])"));
  CHECK_FALSE(session.run("4", "V = append(V, \"text\")"));
  CHECK(session.run("5", "print(V)"));
  CHECK(host.printed.ends_with("  1  2\n"));
}

TEST_CASE("a longer array that nobody takes is worth a warning") {
  const auto ran = run("a = [1]\nappend(a, 2)\nfn f(v) {\n  append(v, 1)\n  return v\n}\nf(a)");
  CHECK(ran.ok);
  CHECK(ran.messages.find("append returns a new array, which is discarded here; `a` is unchanged") !=
        std::string::npos);
  CHECK(ran.messages.find("hint: v = append(v, …)") != std::string::npos);
}

TEST_CASE("a loop of numbers allocates nothing") {
  const auto small = bytes_of("s = 0\nfor k in 1..10 { s += k % 7 * 0.5 }");
  CHECK(bytes_of("s = 0\nfor k in 1..10000 { s += k % 7 * 0.5 }") == small);
}
