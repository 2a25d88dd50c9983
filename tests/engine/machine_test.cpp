// Programs and what they compute.
#include <fmt/format.h>

#include <catch2/catch.hpp>

#include "array/buffer.h"
#include "base/interrupt.h"
#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("programs and their results") {
  struct Row {
    std::string program, result;
  };
  const std::vector<Row> rows = {
      // numbers
      {"result = 2 + 3 * 4 - 1", "13"},
      {"result = -2^2", "-4"},
      {"result = 2^3^2", "512"},
      {"result = [7 % 3, -7 % 3, 7 % -3, -7 % -3]", "[1, 2, -2, -1]"},
      {"result = 0xff + 1_000", "1255"},
      {"result = (1 + 2i) * (3 - 1i)", "5 + 5i"},
      {"result = 1 / 0", "inf"},
      // ranges
      {"result = [5..1]", "[]"},
      {"result = (0..1 by 0.1)[4]", "0.3"},
      {"result = 0..1 count 5", "[0, 0.25, 0.5, 0.75, 1]"},
      {"result = 10..1 by -3", "[10, 7, 4, 1]"},
      {"result = (0..1 by 0.3)", "[0, 0.3, 0.6, 0.8999999999999999]"},
      {"result = (1..10)[2..4] * 2", "[4, 6, 8]"},
      // brackets
      {"v = [1, 2]\nresult = [0, v, 0]", "[0, 1, 2, 0]"},
      {"a = [1, 2]\nb = [3, 4]\nresult = [a | b]", "[1, 2 | 3, 4]"},
      {"A = identity(2)\nresult = [A, zeros(2, 1) | 7, 8, 9]", "[1, 0, 0 | 0, 1, 0 | 7, 8, 9]"},
      {"result = [1, \"a\"]", "[1, \"a\"]"},
      {"result = [k^2 for k in 1..4]", "[1, 4, 9, 16]"},
      {"result = [k for k in [3, 1, 2] if k > 1]", "[3, 2]"},
      {"result = [10*a + b for a down 1..2, b across 1..3]", "[11, 12, 13 | 21, 22, 23]"},
      {"result = [10*a + b for b across 1..3, a down 1..2]", "[11, 12, 13 | 21, 22, 23]"},
      {"result = [[k, k + 1] for k in 1..2]", "[1, 2 | 2, 3]"},
      {"result = shape([k for k in []])", "[0]"},
      // choosing
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = m[2, ..]", "[4, 5, 6]"},
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = m[.., last]", "[3, 6]"},
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = m[1..2, [1, 3]]", "[1, 3 | 4, 6]"},
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = m[[false, true], ..]", "[4, 5, 6]"},
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = m[m > 2 and m < 6]", "[3, 4, 5]"},
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = m[..., 1]", "[1, 4]"},
      {"m = [1, 2, 3 | 4, 5, 6]\nresult = shape(m[.., new, ..])", "[2, 1, 3]"},
      {"a = 10..20\nresult = a[last-2..]", "[18, 19, 20]"},
      {"a = 10..20\nresult = a[..2]", "[10, 11]"},
      {"a = 10..20\nresult = a[last..1 by -5]", "[20, 15, 10]"},
      {"a = 10..20\nresult = a[.. by 5]", "[10, 15, 20]"},
      {"a = 1..9\nresult = a[min(last, 50)]", "9"},
      {"a = [1, 2, 3]\nb = [1, 3]\nresult = a[b[last]]", "3"},
      {"t = zeros(2, 3, 4)\nt[2, 3, 4] = 5\nresult = t[..., last][2, 3]", "5"},
      // an array changed by itself
      {"a = [1, 2, 3]\na[last..1 by -1] += a\nresult = a", "[4, 4, 4]"},
      {"a = [1, 2, 3]\na[2..last] += a[1..last-1]\nresult = a", "[1, 3, 5]"},
      {"m = [1, 2 | 3, 4]\nm[..] *= m'\nresult = m", "[1, 6 | 6, 16]"},
      // an open subscript is not taken for a number that was in its register before
      {"v = [4, 3, 2, 1]\ns = v[2] + v[3] * v[4]\nresult = v[..] + [10, 20, 30, 40] * v[1]",
       "[44, 83, 122, 161]"},
      {"v = [4, 3]\nw = v[1] + (v[2] + (v[1] + v[2]))\nv[..] += w - w\nresult = v[..]", "[4, 3]"},
      // assigning
      {"a = 1..5\na[2..4] = 0\nresult = a", "[1, 0, 0, 0, 5]"},
      {"a = [1, -2, 3]\na[a < 0] = 0\nresult = a", "[1, 0, 3]"},
      {"a = [1, -2, 3]\na[a > 0] = [7, 8]\nresult = a", "[7, -2, 8]"},
      {"a = [1, 2, 3, 4]\na[2..last] = a[1..last-1]\nresult = a", "[1, 1, 2, 3]"},
      {"a = [1, 2, 3]\na[1..2] += 10\na[3] *= 2\nresult = a", "[11, 12, 6]"},
      {"m = zeros(2, 2)\nm[.., 1] = [3, 4]\nresult = m", "[3, 0 | 4, 0]"},
      {"a = [1, 2, 3]\nb = a\nb[1] = 9\nresult = a", "[1, 2, 3]"},
      {"a = [1, 2, 3]\nb = a[1..2]\na[1] = 9\nresult = b", "[1, 2]"},
      {"fn f(v) {\n v[1] = 0\n return v\n}\na = [1, 2]\nb = f(a)\nresult = a", "[1, 2]"},
      {"d = {\"a\": [1, 2]}\ne = d\nd[\"a\"][2] = 5\nresult = [d[\"a\"] | e[\"a\"]]", "[1, 5 | 1, 2]"},
      {"a, b = (1, 2)\na, b = b, a\nresult = [a, b]", "[2, 1]"},
      {"_, y = [3, 4]\nresult = y", "4"},
      {"r, s = [1, 2 | 3, 4]\nresult = s", "[3, 4]"},
      // control
      {"s = 0\nfor k in 1..10 { if k % 2 == 0 { continue }\n if k > 7 { break }\n s += k }\nresult = s",
       "16"},
      {"s = 0\nk = 0\nwhile k < 5 { k += 1\n s += k }\nresult = s", "15"},
      {"s = []\nfor row in [1, 2 | 3, 4] { s = append(s, sum(row)) }\nresult = s", "[3, 7]"},
      {"s = 0\nfor k in {\"a\": 1, \"b\": 2} { s += length(characters(k)) }\nresult = s", "2"},
      {"s = 0\nfor a, b in [1, 2 | 3, 4] { s += a * b }\nresult = s", "14"},
      {"result = if 2 > 1 then \"yes\" else \"no\"", "yes"},
      {"x = 5\nif x > 10 { result = 1 } else if x > 3 { result = 2 } else { result = 3 }", "2"},
      {"result = 2 < 3 < 4 and not 5 == 6", "true"},
      {"fn bad() = 1 / none\nresult = false and bad()", "false"},
      {"fn bad() = 1 / none\nresult = true or bad()", "true"},
      // functions
      {"fn f(x, h = 2 * x) = h\nresult = [f(1), f(1, h: 5), f(1, 7)]", "[2, 5, 7]"},
      {"fn f(n) = if n <= 1 then 1 else n * f(n - 1)\nresult = f(10)", "3628800"},
      {"fn even(n) = if n == 0 then true else odd(n - 1)\nfn odd(n) = if n == 0 then false else even(n - "
       "1)\nresult = even(10)",
       "true"},
      {"fn adder(n) = fn(x) = x + n\nadd = [1]\nadd3 = adder(3)\nresult = add3(4)", "7"},
      {"fs = list(fn(x) = x, fn(x) = 2 * x)\nf = fs[2]\nresult = f(4)", "8"},
      {"k = 1\nfn f() = k\nk = 2\nresult = f()", "2"},
      {"fn outer() {\n a = 1\n f = fn() = a\n a = 2\n return f()\n}\nresult = outer()", "1"},
      {"fn outer() {\n fn fact(n) = if n < 2 then 1 else n * fact(n - 1)\n return fact(5)\n}\nresult = "
       "outer()",
       "120"},
      {"fn two(x) { return x, x^2 }\na, b = two(3)\nresult = [a, b]", "[3, 9]"},
      {"fn nothing() { }\nresult = same(nothing(), none)", "true"},
      {"fs = [0]\ng = [fn(x) = x * k for k in 1..3]\nh = g[3]\nresult = h(5)", "15"},
      {"sum = 3\nresult = sum + sum([1, 2])", "6"},
      {"result = max(1..5)\nmax = 2", "5"},
      // each
      {"fn step(x) = if x > 0 then 1 else 0\nresult = each step([-1, 0, 2])", "[0, 0, 1]"},
      {"fn f(x, y) = if x > y then x else y\nresult = each f(across([1, 5]), down([2, 3]))", "[2, 5 | 3, 5]"},
      {"fn f(x) { return x, x^2 }\na, b = each f([1, 2, 3])\nresult = b", "[1, 4, 9]"},
      {"fn f(x) = x\nresult = each f([1, 2]) + 1", "[2, 3]"},
      // texts
      {"result = \"{2/3:.2f} and {[1, 2.5]}\"", "0.67 and [1, 2.5]"},
      {"result = \"{[1, 2/3]:.1f} {7:d} {7:03d} {\"x\":>3}\"", "[1.0, 0.7] 7 007   x"},
      {"result = [\"b\", \"a\"] == \"a\"", "[false, true]"},
      {"result = sort([\"b\", \"a\"])", "[\"a\", \"b\"]"},
      {"result = \"{{{1 + 1}}}\"", "{2}"},
      // tuples, records, dictionaries, lists
      {"t = (1, \"x\", [2, 3])\nresult = t[3][2]", "3"},
      {"r = (depth: 3.5, name: \"buoy\")\ns = with(r, depth: 4, extra: 1)\nresult = [r.depth, s.depth, "
       "s.extra]",
       "[3.5, 4, 1]"},
      {"r = (depth: 3.5)\nresult = r[\"depth\"]", "3.5"},
      {"d = {\"a\": 1, 2: \"b\"}\nd[\"c\"] = none\nresult = keys(d)", "[\"a\", 2, \"c\"]"},
      {"l = list(1, \"a\", none)\nl[2] = [5, 6]\nresult = l", "[1, [5, 6], none]"},
      {"result = same((1, [2, nan]), (1, [2, nan]))", "true"},
      {"result = (1, 2) == (1, 2)", "true"},
      {"g = filled(none, 2, 2)\ng[1, 2] = \"x\"\nresult = g[1, ..]", "[none, \"x\"]"},
      // broadcasting and reductions
      {"result = across([1, 2]) + down([10, 20, 30])", "[11, 12 | 21, 22 | 31, 32]"},
      {"result = sum([1, 2 | 3, 4], over: 2, keep: true)", "[3 | 7]"},
      {"result = sum([3, 1, 4] > 2)", "2"},
      {"result = mean([1, nan, 3], skip_nan: true)", "2"},
      {"result = [1, 2 | 3, 4]' *+ [1, 1]", "[4, 6]"},
      {"result = zeros(2, 3)[1, 1] + ones(2)", "[1, 1]"},
      {"x = [1, 2, 3]\nx = x + 1\nx = x * x\nresult = x", "[4, 9, 16]"},
  };
  for (const auto& row : rows) {
    CAPTURE(row.program);
    CHECK(inline_text(value_of(row.program)) == row.result);
  }
}

TEST_CASE("a loop over elements works in place") {
  const auto text = [](int n) {
    return "a = zeros(" + std::to_string(n) +
           ")\nfor k in 1..length(a) { a[k] = k\n a[k] += 1 }\ns = zeros(50)\nfor k in 1..100 { s += 1\n s = "
           "s * 2 }";
  };
  const auto arrays_for = [&](int n) {
    const auto before = memory_use().arrays;
    CHECK(run(text(n)).ok);
    return memory_use().arrays - before;
  };
  arrays_for(10);
  // As many arrays for a thousand steps as for ten.
  CHECK(arrays_for(1000) == arrays_for(10));
}

TEST_CASE("names keep their values after an error, in a session") {
  MemoryHost host;
  SessionOptions options;
  options.interactive = true;
  TestSession session(host, options);
  CHECK(session.run("entry 1", "a = [1, 2, 3]"));
  CHECK(host.printed == "a : float64 3, 1, 2, 3\n");
  CHECK_FALSE(session.run("entry 2", "b = a[9]"));
  CHECK_FALSE(session.run("entry 3", "a = a + [1, 2]"));
  CHECK(inline_text(*session.find("a")) == "[1, 2, 3]");
  CHECK(session.find("b") == nullptr);
  CHECK(session.run("entry 4", "a + 1"));
  CHECK(session.run("entry 5", "c = that * 2"));
  CHECK(inline_text(*session.find("c")) == "[4, 6, 8]");
  CHECK(session.run("entry 6", "fn f(x) = later(x) + 1"));
  CHECK_FALSE(session.run("entry 7", "f(1)"));
  CHECK(session.run("entry 8", "fn later(x) = x * 10\ny = f(1)"));
  CHECK(inline_text(*session.find("y")) == "11");
  CHECK(session.run("entry 9", "f = fn(x) = x"));
  CHECK(inline_text(*session.find("c")) == "[4, 6, 8]");
  // A loop shows what it assigned once, when it has ended.
  host.printed.clear();
  CHECK(session.run("entry 10",
                    "for k in 1..3 {\n  s = k\n  while s > 2 { s -= 1 }\n}\nfor k in 5..1 { never = k }"));
  CHECK(host.printed == "s = 2\n");
}

TEST_CASE("an alias writes through to its owner, and reading it copies") {
  const auto result = [](const std::string& program) { return inline_text(value_of(program)); };
  CHECK(result("a = [1, 2, 3, 4]\nw = alias a[2..3]\nw[1] = 20\nresult = a") == "[1, 20, 3, 4]");
  CHECK(result("a = [1, 2, 3, 4]\nw = alias a[2..3]\na[2] = 7\nresult = w") == "[7, 3]");
  CHECK(result("a = [1, 2, 3, 4]\nw = alias a[last..1 by -1]\nw[..] += [10, 20, 30, 40]\nresult = a") ==
        "[41, 32, 23, 14]");
  CHECK(result("m = zeros(3, 3)\nw = alias m[1..2, ..]\nw[.., 1] = 5\nw[w == 0] = 1\nresult = m") ==
        "[5, 1, 1 | 5, 1, 1 | 0, 0, 0]");
  CHECK(result("a = [1, 2, 3]\nw = alias a\nb = w\nw[1] = 9\nresult = [a | b]") == "[9, 2, 3 | 1, 2, 3]");
  CHECK(result("a = [1, 2, 3]\nb = a\nw = alias a[1..2]\nw[1] = 9\nresult = b") == "[1, 2, 3]");
  CHECK(result("a = [1, 2, 3]\nw = alias a[1..2]\nw = 5\na[1] = 7\nresult = [a, w]") == "[7, 2, 3, 5]");
  CHECK(result("a = [1, 2, 3]\nw = alias a[[3, 1]]\nw[..] = [30, 10]\nresult = a + w[1]") == "[40, 32, 60]");
  CHECK(result("fn f(v) {\n w = alias v[1..2]\n w[..] = 0\n return v\n}\na = [1, 2, 3]\nb = f(a)\nresult = "
               "[a | b]") == "[1, 2, 3 | 0, 0, 3]");
  CHECK(result("a = [1, 2, 3]\nw = alias a[1..2]\nfn f() = sum(a) + sum(w)\nw[1] = 10\nresult = f()") ==
        "27");
  CHECK(result("a = 1..3\nw = alias a[1..2]\nw[1] = 10\nresult = a") == "[10, 2, 3]");
  CHECK(result("a = [1, 2, 3]\nw = alias a[1..2]\nv = alias a[2..3]\nw[2] = 9\nresult = v") == "[9, 3]");
  const auto detached = run("a = [1, 2, 3]\nw = alias a[1..2]\na = [7, 8, 9]\nw[1] = 5\nprint(a)\nprint(w)");
  CHECK(detached.printed == "  7  8  9\n  5  2\n");
  CHECK(detached.messages.find("`a` is bound to a new value; its aliases keep the old one") !=
        std::string::npos);
  CHECK(run("a = [1, 2]\nw = alias a\nw = 3\na = [5]").messages.empty());
  MemoryHost host;
  SessionOptions options;
  options.interactive = true;
  TestSession session(host, options);
  CHECK(session.run("1", "a = [1, 2, 3]\nw = alias a[1..2]"));
  CHECK(host.printed == "a : float64 3, 1, 2, 3\nw : alias of a, float64 2, 1, 2\n");
  CHECK(session.run("2", "w[1] = 9"));
  CHECK(session.run("3", "x = a"));
  CHECK(inline_text(*session.find("x")) == "[9, 2, 3]");
  CHECK(session.run("4", "a += 1"));
  CHECK(inline_text(*session.find("a")) == "[10, 3, 4]");
}

TEST_CASE("a stop ends the computation and keeps the variables") {
  MemoryHost host;
  TestSession session(host, {});
  CHECK(session.run("one", "a = 5"));
  // The flag is raised by the program itself through a print that the host turns into a request.
  class StoppingHost : public MemoryHost {
   public:
    void print(std::string_view) override { request_interrupt(); }
  } stopping;
  TestSession other(stopping, {});
  CHECK_FALSE(other.run("two", "a = 1\nfor k in 1..100000000 {\n  a = k\n  if k == 10 { print(k) }\n}"));
  CAPTURE(stopping.messages);
  CHECK(stopping.messages.find("interrupted: stopped\n  two, line 4") != std::string::npos);
  REQUIRE(other.find("a") != nullptr);
  CHECK(other.find("a")->number() == 10);
  CHECK(other.run("three", "b = a + 1"));
}

TEST_CASE("values nest to a depth that everything can walk, and no further") {
  const std::vector<std::string> steps = {"t = (t, 1)",
                                          "t = (a: t)",
                                          "t = list(t, 1)",
                                          "t = {\"a\": t}",
                                          "t = held(t)",
                                          "d = {\"a\": 0}\nd[\"b\"] = t\nt = d",
                                          "l = list(0, 0)\nl[2] = t\nt = (l, 0)",
                                          "t = [t, \"a\"]",
                                          "t = filled(t, 1)",
                                          "t = append(list(0), t)",
                                          "t = [(t, k) for k in 1..1]",
                                          "t = fitted(t)"};
  for (const auto& step : steps) {
    const auto program = [&](int levels) {
      return fmt::format(
          "fn held(g) = fn() = g\nfn fitted(g) = fit(fn(x, p) = if p[1] > 1e9 then g else p[1] * x, [1, 2, "
          "3], "
          "[1, 2, 3], start: 1).band\nt = 0\nfor k in 1..{} {{\n{}\n}}\n",
          levels, step);
    };
    CAPTURE(step);
    const auto deep = run(program(step.find("fit") == step.npos ? 300000 : 2000));
    CHECK_FALSE(deep.ok);
    CHECK(deep.messages.find("values are nested more than 200 levels deep\n  test.eq, line ") !=
          std::string::npos);
    // Below the limit it is compared, printed, copied and let go of.
    const auto fine =
        run(program(90) + "u = t\nprint(\"{same(t, u)}\")\nx = \"{t}\"\nprint(type(t))\nt\nt = 0");
    CHECK(fine.ok);
    CHECK(fine.printed.starts_with("true\n"));
  }
  // Side by side there is no limit.
  CHECK(run("t = list(0)\nfor k in 1..5000 { t = append(t, (k, t[1])) }\nprint(length(t))").printed ==
        "5001\n");
}

TEST_CASE("inputs are set from outside and checked") {
  SessionOptions options;
  options.inputs = {{"rate", "0.5"}, {"v", "[1, 2]"}};
  const auto ran = run(
      "given rate = 0.3 \"decay (1/d)\"\ngiven v = [0, 0, 0]\ngiven n = 2\nprint(rate, sum(v), n)", options);
  CHECK(ran.printed == "0.5 3 2\n");
  SessionOptions wrong;
  wrong.inputs = {{"rate", "\"fast\""}};
  CHECK(run("given rate = 0.3", wrong)
            .messages.find("the input rate is the text \"fast\", and its default is the number 0.3") !=
        std::string::npos);
  SessionOptions broken;
  broken.inputs = {{"rate", "1 +"}};
  CHECK_FALSE(run("given rate = 0.3", broken).ok);
}

TEST_CASE("warnings come once for each place") {
  const auto ran = run("for k in 1..5 { a = sqrt(-k) }\nb = sqrt(-1)");
  CHECK(ran.ok);
  std::size_t count = 0;
  for (auto at = ran.messages.find("warning:"); at != std::string::npos;
       at = ran.messages.find("warning:", at + 1))
    ++count;
  CHECK(count == 2);
  // The same place may have two things to say.
  const auto two =
      run("fn both(x, y) = interpolate([1, 2], [1, 2], at: x, outside: y)\n"
          "for k in 1..4 { a = if k < 3 then k else sqrt(-k) + log(-k) }");
  CHECK(two.messages.find("warning: the result of sqrt") != std::string::npos);
  CHECK(two.messages.find("warning: the result of log") != std::string::npos);
  const auto places = run("for f in [fn(x) = sqrt(x), fn(x) = log(x)] { a = each f([-1, -2]) }");
  CHECK(places.ok);
  MemoryHost host;
  TestSession session(host, {});
  for (const char* what :
       {"the level of the inlet is low", "the level of the inlet is high", "the level of the inlet is low"}) {
    Error warning(what);
    warning.location = {std::make_shared<Source>("a.eq", "x = 1"), {0, 5}};
    session.warn(warning);
  }
  CHECK(host.messages.find("is low") != std::string::npos);
  CHECK(host.messages.find("is high") != std::string::npos);
  CHECK(host.messages.find("is low", host.messages.find("is high")) == std::string::npos);
}

TEST_CASE("a check that is over holds nothing: what changes afterwards is not copied for it") {
  const auto bytes_of = [](const std::string& check) {
    const auto before = memory_use().bytes;
    const auto ran = run("v = zeros(100000) + 1\nfor k in 1..20 {\n    " + check + "\n    v[k] = 2\n}");
    REQUIRE(ran.ok);
    return memory_use().bytes - before;
  };
  const auto compared = bytes_of("ok = all(v > 0)"), expected = bytes_of("expect all(v > 0)");
  CHECK(expected < compared + 100000 * 8);
}
