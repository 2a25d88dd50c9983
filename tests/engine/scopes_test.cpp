// Scopes, arguments and blocks: what a name means where, as the language promises it.
#include <catch2/catch.hpp>

#include <random>

#include "base/text.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

namespace {

void check(const std::string& program, const std::string& result) {
  CAPTURE(program);
  CHECK(inline_text(value_of(program)) == result);
}

}  // namespace

TEST_CASE("only functions and comprehensions make scopes") {
  check("if true {\n  inner = 5\n}\nresult = inner", "5");
  check("for k in 1..3 {\n  square = k^2\n}\nresult = [k, square]", "[3, 9]");
  check("k = 100\nv = [k for k in 1..3]\nresult = [k, v]", "[100, 1, 2, 3]");
  check("k = 100\nfn f() {\n  k = 1\n  return k\n}\ninside = f()\nresult = [k, inside]", "[100, 1]");
  check("v = [[k * j for k in 1..2] for j in 1..2]\nresult = v", "[1, 2 | 2, 4]");
  check("k = 7\nv = [k for k in [k, k + 1]]\nresult = v", "[7, 8]");
}

TEST_CASE("functions read the names around them as they are when called") {
  check("rate = 2\nfn f(x) = rate * x\nrate = 3\nresult = f(2)", "6");
  check("fn f(x) = g(x) + 1\nfn g(x) = 10 * x\nresult = f(2)", "21");
  check("fn f(x, rate = base) = rate * x\nbase = 5\nresult = f(2)", "10");
  check("x = 1\nfn f(x) = x * 2\nresult = [f(10), x]", "[20, 1]");
}

TEST_CASE("inner functions take parameters, locals and loop variables as they are when made") {
  check("fn make(n) = fn(x) = x + n\nadd = make(3)\nmore = make(10)\nresult = [add(1), more(1)]", "[4, 11]");
  check(
      "fn make() {\n  fs = list()\n  for k in 1..3 {\n    fs = append(fs, fn() = k)\n  }\n  return fs\n}\nfs "
      "= make()\na = fs[1]\nb = fs[3]\nresult = [a(), b()]",
      "[1, 3]");
  check(
      "fn outer(n) {\n  fn middle() {\n    fn inner() = n * 2\n    return inner()\n  }\n  return "
      "middle()\n}\nresult = outer(21)",
      "42");
  check("fs = [fn(x) = x * k for k in 1..3]\nf = fs[2]\nresult = f(10)", "20");
  check("fn outer() {\n  v = [1, 2, 3]\n  f = fn() = v[1]\n  v[1] = 100\n  return f()\n}\nresult = outer()",
        "1");
}

TEST_CASE("arguments by position, by name and by default") {
  const std::string bump = "fn bump(x, y, height = 1, width = height * 2) = [x, y, height, width]\n";
  check(bump + "result = bump(1, 2)", "[1, 2, 1, 2]");
  check(bump + "result = bump(1, 2, 3)", "[1, 2, 3, 6]");
  check(bump + "result = bump(1, 2, width: 9)", "[1, 2, 1, 9]");
  check(bump + "result = bump(y: 2, x: 1)", "[1, 2, 1, 2]");
  check(bump + "result = bump(1, height: 5, y: 2)", "[1, 2, 5, 10]");
  check("fn f(a, b = fn(x) = x + a) = b(10)\nresult = f(5)", "15");
  check("fn apply(f, x) = f(x)\nresult = apply(sqrt, 16) + apply(fn(t) = t, 1) + apply(sum, [1, 2])", "8");
  for (const char* wrong : {"result = bump(1)", "result = bump(1, 2, 3, 4, 5)",
                            "result = bump(1, 2, depth: 3)", "result = bump(1, 2, x: 3)"}) {
    CAPTURE(wrong);
    CHECK_FALSE(run(bump + wrong).ok);
  }
}

TEST_CASE("several results") {
  check("fn f() {\n  return 1, [2, 3], \"x\"\n}\na, b, c = f()\nresult = (a, b, c)", "(1, [2, 3], \"x\")");
  check("fn f() = (1, 2)\na, _ = f()\nresult = a", "1");
  check("a, b, c = 1..3\nresult = [c, b, a]", "[3, 2, 1]");
  check("v = [1, 2, 3]\nv[1], v[3] = v[3], v[1]\nresult = v", "[3, 2, 1]");
  check("d = {\"a\": 1}\nd[\"a\"], d[\"b\"] = (5, 6)\nresult = d", "{\"a\": 5, \"b\": 6}");
  check("fn f(x) {\n  if x > 0 { return \"positive\" }\n  return \"not\"\n}\nresult = [f(1), f(-1)]",
        "[\"positive\", \"not\"]");
  check(
      "fn f() {\n  for k in 1..10 {\n    while true {\n      if k == 4 { return k }\n      break\n    }\n  "
      "}\n}\nresult = f()",
      "4");
}

TEST_CASE("words that mean something only in their place are names elsewhere") {
  for (const char* word :
       {"by", "count", "down", "across", "each", "alias", "section", "given", "use", "figure", "panel",
        "extend", "timed", "expect", "label", "title2", "last_one", "newer", "nota"}) {
    CAPTURE(word);
    check(std::string(word) + " = 4\n" + word + " += 1\nresult = " + word + " * 2", "10");
  }
  check("λ = 2\nΔt = 0.5\nπ2 = π * 2\nresult = λ * Δt", "1");
  check("fn by(x) = x\nresult = by(3)", "3");
  check("count = 5\nresult = length(0..1 count count)", "5");
}

TEST_CASE("loops over every kind of thing") {
  check("s = \"\"\nfor c in characters(\"abc\") {\n  s = \"{c}{s}\"\n}\nresult = s", "cba");
  check("s = 0\nfor k in (1, 2, 3) { s += k }\nresult = s", "6");
  check("s = 0\nfor x in list(1, [2, 3]) { s += sum(x) }\nresult = s", "6");
  check("s = 0\nfor b in [1, 5, 2] > 1 { if b { s += 1 } }\nresult = s", "2");
  check("s = zeros(2)\nfor m in reshape(1..8, 2, 2, 2) { s += m[1, ..] }\nresult = s", "[6, 8]");
  check("v = [1, 2, 3]\nfor x in v { v[1] = 100 }\nresult = x", "3");
  check("n = 0\nfor x in [] { n += 1 }\nfor x in 3..1 { n += 1 }\nresult = n", "0");
  check("s = 0\nfor z in [1i, 2] { s += z }\nresult = s", "2 + 1i");
}

TEST_CASE("conditions of every form") {
  check("result = [if k % 2 == 0 then \"even\" else \"odd\" for k in 1..3]", "[\"odd\", \"even\", \"odd\"]");
  check("x = 5\nresult = if x < 3 then 1 else if x < 6 then 2 else 3", "2");
  check("result = 1 < 2 < 3 == 3 > 2", "true");
  check("v = [1, 5, 3]\nresult = v[1 < v < 4 or v == 1]", "[1, 3]");
  check("result = not [true, false] or [false, false]", "[false, true]");
  check("result = any([1, 2] > 1) and all([1, 2] > 0)", "true");
  check("k = 0\nwhile true {\n  k += 1\n  if k < 5 { continue }\n  break\n}\nresult = k", "5");
}

TEST_CASE("an alias of an alias is one of the variable after it") {
  CHECK(run("a = [1, 2, 3, 4, 5, 6]\nw = alias a[2..5]\nu = alias w[2..3]\nu[1] = 9\n"
            "expect same(a, [1, 2, 9, 4, 5, 6])\nv = alias u\nv[..] += 1\nexpect same(w, [2, 10, 5, 5])\n"
            "m = reshape(1..12, 3, 4)\nr = alias m[[3, 1], ..]\nc = alias r[.., last..2 by -2]\nc[..] = 0\n"
            "expect same(m, [1, 0, 3, 0 | 5, 6, 7, 8 | 9, 0, 11, 0])\nq = alias r[2, ..]\nq[4] = 77\n"
            "expect m[1, 4] == 77")
            .ok);
  // Against plain selection: two random choices after each other.
  CHECK(run("seed(5)\nfor k in 1..300 {\n  a = 1..20 + 0\n  p = sort_order(random(20))[1..8]\n"
            "  lo = random_whole(1, 8); hi = random_whole(lo, 8)\n  b = a\n  w = alias b[p]\n"
            "  u = alias w[hi..lo by -1]\n  expect same(u, a[p][hi..lo by -1])\n  u[..] = 0\n  c = a\n"
            "  c[p[lo..hi]] = 0\n  expect same(b, c)\n}")
            .ok);
}

TEST_CASE("an element of a list may be a list") {
  CHECK(
      run("l = list(1, 2)\nl[1] = list(3, 4)\nexpect length(l) == 2 and l[1][2] == 4\nl[1..2] = list(5, 6)\n"
          "expect l[1] == 5\nm = filled(none, 2, 2)\nm[2, 1] = list(7)\nexpect m[2, 1][1] == 7")
          .ok);
}

TEST_CASE("texts in arrays, records and templates read back to the same texts") {
  CHECK(run("for t in [\"a\\\"b\", \"back\\\\slash\", \"\\{x\\}\", \"line\\nend\\t\", \"\\u{1b}[2J\", \"λ "
            "μ\", \"\"] {\n"
            "  print(\"{[t, t]}\")\n}")
            .printed ==
        "[\"a\\\"b\", \"a\\\"b\"]\n[\"back\\\\slash\", \"back\\\\slash\"]\n"
        "[\"\\{x\\}\", \"\\{x\\}\"]\n[\"line\\nend\\t\", \"line\\nend\\t\"]\n"
        "[\"\\u{1b}[2J\", \"\\u{1b}[2J\"]\n[\"λ μ\", \"λ μ\"]\n[\"\", \"\"]\n");
  std::mt19937_64 random(3);
  const std::string characters[] = {"a", "\"", "\\", "{", "}", "\n", "\t", "\r", "\x1b", "λ", "$", "`", " "};
  for (int round = 0; round < 200; ++round) {
    std::string text;
    for (int k = 0; k < 6; ++k) text += characters[random() % std::size(characters)];
    CHECK(value_of("result = " + in_quotes(text)).text() == text);
  }
}

TEST_CASE("functions that a block defines may call each other, in any order of writing") {
  CHECK(run("fn top(n) {\n  fn even(k) = if k == 0 then true else odd(k - 1)\n"
            "  fn odd(k) = if k == 0 then false else even(k - 1)\n  return even(n)\n}\n"
            "expect top(4)\nexpect not top(5)\nexpect top(3000)")
            .ok);
  // They keep what was around them when they were made, and outlive the call.
  CHECK(run("fn top(s) {\n  fn a(k) = if k == 0 then s else b(k - 1) + 1\n"
            "  fn b(k) { return if k == 0 then c(s) else a(k - 1) + 1 }\n  fn c(k) = k * 2\n  s = 99\n"
            "  return a, b, c\n}\nf, g, h = top(10)\ntop(7)\nexpect f(3) == 23 and g(3) == 13 and h(1) == 2")
            .ok);
  CHECK(run("fn count(n) {\n  r = []\n  for j in 1..3 {\n    fn u(k) = if k == 0 then j else w(k - 1)\n"
            "    fn w(k) = if k == 0 then -j else u(k - 1)\n    r = append(r, u(j))\n  }\n  return r\n}\n"
            "expect same(count(1), [-1, 2, -3])")
            .ok);
  CHECK(run("fn top(n) {\n  fn a(k) {\n    return [b(j) for j in 1..k]\n  }\n"
            "  fn b(k) = if k > 2 then sum(a(k - 1)) else k\n  return each b([1, 2, 3, 4])\n}\n"
            "expect same(top(3), [1, 2, 3, 6])")
            .ok);
  CHECK(error_of("fn top() {\n  fn a(k) = b(k)\n  x = a(1)\n  fn b(k) = k\n  return x\n}\ntop()")
            .find("`b` has no value yet: it is defined later in the block") != std::string::npos);
}
