// Fused expressions have the results of their operations one by one.
#include <catch2/catch.hpp>
#include <random>

#include "array/buffer.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

bool holds(const std::string& text, const std::string& part) { return text.find(part) != std::string::npos; }

}  // namespace

TEST_CASE("parts of arrays are assigned in place, also from parts of themselves") {
  // Each against a loop over a copy.
  CHECK(run("u = random(12, 9)\nv = u\nw = u\n"
            "u[2..last-1, 2..last-1] = 0.25*(u[1..last-2, 2..last-1] + u[3..last, 2..last-1] + u[2..last-1, "
            "1..last-2] "
            "+ u[2..last-1, 3..last])\n"
            "for i in 2..11 { for j in 2..8 { v[i, j] = 0.25*(w[i-1, j] + w[i+1, j] + w[i, j-1] + w[i, j+1]) "
            "} }\n"
            "expect same(u, v)\nexpect not same(u, w)")
            .ok);
  CHECK(run("u = random(40)\nv = u\nu[2..last] = u[1..last-1] * 2 + u[2..last]\n"
            "expect same(u, [u[1], v[1..last-1] * 2 + v[2..last]])")
            .ok);
  CHECK(run("u = random(40)\nv = u\nu[last..1 by -1] = u * 2 + 1\nexpect same(u, reverse(v * 2 + 1))").ok);
  CHECK(run("u = random(7, 7)\nv = u\nu[..] = u' + 2*u\nexpect same(u, v' + 2*v)").ok);
  CHECK(run("u = random(40)\nv = u\nu[1..last by 2] = u[2..last by 2] - u[1..last by 2]^2\n"
            "expect same(u[1..last by 2], v[2..last by 2] - v[1..last by 2]^2)\n"
            "expect same(u[2..last by 2], v[2..last by 2])")
            .ok);
  // A number, a row and a column are stretched over the place.
  CHECK(run("u = zeros(3, 4)\nv = [1, 2, 3, 4]\nu[1..2, ..] = v * 2 + 1\nexpect same(u[2, ..], v * 2 + 1)\n"
            "expect all(u[3, ..] == 0)")
            .ok);
}

TEST_CASE("parts of arrays are changed in place by formulas") {
  CHECK(run("u = random(30)\nv = u\nu[2..last] += 2 * u[1..last-1]\nexpect same(u[2..last], v[2..last] + 2 * "
            "v[1..last-1])")
            .ok);
  CHECK(run("u = random(30)\nv = u\nu[1..last by 2] *= u[2..last by 2] - 1\n"
            "expect same(u[1..last by 2], v[1..last by 2] * (v[2..last by 2] - 1))\n"
            "expect same(u[2..last by 2], v[2..last by 2])")
            .ok);
  CHECK(run("u = random(6, 5)\nv = u\nu[3, ..] -= 2 * u[1, ..] + 1\nexpect same(u[3, ..], v[3, ..] - (2 * "
            "v[1, ..] + 1))")
            .ok);
  CHECK(run("u = random(30)\nv = u\nu[u > 0.5] /= 2 * u[u > 0.5]\nexpect all(u[v > 0.5] == 0.5)").ok);
  CHECK(run("u = [1, 2, 3, 4]\nu[[4, 1]] += [10, 20] * 2\nexpect same(u, [41, 2, 3, 24])").ok);
  CHECK(run("n = int64([1, 2, 3])\nn[2..3] += n[1..2] * 2\nexpect same(n, int64([1, 4, 7]))").ok);
  CHECK(run("d = {\"k\": 1}\nx = 3\nd[\"k\"] += 2 * x\nexpect d[\"k\"] == 7").ok);
  CHECK(run("u = [1, 2]\nx = 3\nu[2] ^= 2 * x - 4\nexpect same(u, [1, 4])").ok);
  CHECK_FALSE(run("u = [1, 2, 3]\nu[2..3] += [1, 2, 3] * 2").ok);
}

TEST_CASE("whatever parts meet, they get what a loop gives them") {
  const std::string functions = "fn kept(x) {\n  return x\n}\nseed(3)\n";
  std::mt19937 random(11);
  const auto between = [&](int a, int b) { return std::uniform_int_distribution(a, b)(random); };
  for (int round = 0; round < 300; ++round) {
    // So many elements from a first one, some apart; of one axis or of the rows of a matrix.
    const bool is_long = between(0, 1) == 1, is_matrix = between(0, 2) > 0;
    const int count = is_long ? between(60, 140) : between(1, 9);
    const int width = is_long ? 450 : 32;
    const int usual = between(1, 3);
    const auto part = [&] {
      const int by = (between(0, 4) > 0 ? usual : between(1, 3)) * (between(0, 7) == 0 ? -1 : 1);
      const int first = by > 0 ? between(1, 4) : between(1, 4) - by * (count - 1);
      const auto range = fmt::format("{}..{} by {}", first, first + by * (count - 1), by);
      return is_matrix ? fmt::format("[{}, {}]", between(0, 3) ? ".." : "7..1 by -1", range)
                       : fmt::format("[{}]", range);
    };
    const auto target = part(), source = part(), other = part(), third = part();
    const char* const from = between(0, 1) ? "u" : "w";
    const char* const copy = from[0] == 'u' ? "v" : "w";
    const char* const ops[] = {"=", "+=", "*="};
    const auto* const op = ops[between(0, 2)];
    const bool sums = between(0, 1) == 1;
    const auto change = sums ? fmt::format("u{0} {1} 0.25 * ({2}{3} + w{4} + {2}{5} + w{3})", target, op,
                                           from, source, other, third)
                             : fmt::format("u{} {} {}{} * 2 - w{}", target, op, from, source, other);
    const auto slow =
        sums ? fmt::format("v{0} {1} kept(0.25 * kept(kept(kept({2}{3} + w{4}) + {2}{5}) + w{3}))", target,
                           op, copy, source, other, third)
             : fmt::format("v{} {} kept({}{} * 2) - kept(w{})", target, op, copy, source, other);
    INFO(change << "\n" << slow);
    const auto shape = fmt::format("{}{}", is_matrix ? "7, " : "", width);
    CHECK(run(functions + "u = random(" + shape + ")\nw = random(" + shape + ")\nv = kept(u) + 0\n" + change +
              "\n" + slow + "\nexpect same(u, v)")
              .ok);
  }
}

TEST_CASE("copies and aliases see of assignments what they should") {
  CHECK(run("u = ones(50)\nv = u\nu[2..9] = v[2..9] * 3 + u[1..8]\nexpect all(v == 1)\nexpect all(u[2..9] == "
            "4)")
            .ok);
  CHECK(run("u = ones(50)\nr = (a: u)\nu[2..9] = 2*u[2..9] + 1\nexpect all(r.a == 1)\nexpect u[5] == 3").ok);
  CHECK(run("u = ones(50)\nw = alias u[2..9]\nu[2..9] = 2*u[2..9] + 1\nexpect all(w == 3)").ok);
  CHECK(
      run("fn f(u) {\n  u[2..9] = 2*u[2..9] + 1\n  return u\n}\nu = ones(50)\nv = f(u)\nexpect all(u == 1)\n"
          "expect v[2] == 3")
          .ok);
}

TEST_CASE("a sweep of slices makes no arrays") {
  MemoryHost host;
  TestSession session(host, {});
  REQUIRE(session.run("a", "u = zeros(100, 100)\nu[1, ..] = 1"));
  const auto before = memory_use().arrays;
  REQUIRE(session.run(
      "b",
      "u[2..last-1 by 2, 2..last-1 by 2] = 0.25*(u[1..last-2 by 2, 2..last-1 by 2] + u[3..last by 2, "
      "2..last-1 by 2] + u[2..last-1 by 2, 1..last-2 by 2] + u[2..last-1 by 2, 3..last by 2])"));
  CHECK(memory_use().arrays == before);
}

TEST_CASE("a pass keeps types, labels and refusals") {
  CHECK(run("a = float32([1, 2, 3])\nb = a * 2 + 1\nexpect type(b) == \"float32\"").ok);
  CHECK(run("n = int64([1, 2, 3])\nexpect type(n * 2 + n) == \"int64\"\nexpect type(n * 2.5 + n) == "
            "\"float64\"")
            .ok);
  CHECK(run("n = int32([1, 2, 3])\nn[1..2] = n[2..3] * 2 + 1\nexpect same(n, int32([5, 7, 3]))").ok);
  CHECK(holds(run("n = int64([1, 2^62])\nm = n * 2 + n").messages, "integer overflow"));
  CHECK(holds(run("a = ones(3)\nb = ones(4)\nc = 2*a + b").messages, "3"));
  CHECK_FALSE(run("a = ones(3)\nc = 2*a + \"x\"").ok);
  CHECK_FALSE(run("a = ones(3)\na[2..9] = a[1..8] * 2 + 1").ok);
  CHECK_FALSE(run("a = ones(5)\na[2..4] = ones(2) * 2 + 1").ok);
  CHECK(run("a = [1, 2, 3]\nb = [true, false, true]\nc = a > 1 and b\nexpect same(c, [false, false, true])")
            .ok);
}

TEST_CASE("the right-hand side of `and` waits for the left one") {
  CHECK(run("v = [1, 2]\nexpect not (length(v) > 2 and v[3] > 1)").ok);
  CHECK(run("v = [1, 2]\nk = 0\nexpect not (k > 1 and v[k] + 1 > 1)").ok);
}

TEST_CASE("functions without a real result warn once each, where they stand") {
  const auto ran = run("x = [-1, 4]\ny = sqrt(x) + log(x - 2) * 2");
  CHECK(holds(ran.messages, "the result of sqrt is not real for some elements"));
  CHECK(holds(ran.messages, "the result of log is not real for some elements"));
  CHECK(ran.messages.find("result of sqrt") < ran.messages.find("result of log"));
  CHECK(holds(run("x = [1, nan]\ns = sum(x * 2)").messages,
              "sum: the argument contains 1 nan among 2 elements"));
  CHECK(run("x = [1, 2]\ns = sum(sqrt(x) * 2) + mean(x^2)").messages.empty());
}

TEST_CASE("reductions of formulas are those of their arrays") {
  CHECK(run("x = random(1000) - 0.5\ny = x * 2 - 1\nexpect same(sum(x * 2 - 1), sum(y + 0))\n"
            "expect same(mean(x * 2 - 1), mean(y))\nexpect same(max(abs(x)), -min(-abs(x)))\n"
            "expect same(sum(x > 0), length(x[x > 0]))\nexpect type(sum(x > 0)) == \"int64\"\n"
            "expect same(mean(x > 0), sum(x > 0) / 1000)")
            .ok);
  // Of all types of numbers.
  for (const std::string type : {"int64", "int32", "uint8", "float32"})
    for (const std::string formula : {"k", "-int32(k)", "k * 2", "pick(k > 50, k, k)", "k % 7"})
      for (const std::string reduction : {"sum", "mean", "min", "max"}) {
        INFO(reduction << " of " << formula << ", " << type);
        CHECK(run("k = " + type + "(floor(random(40000) * 100))\na = " + formula +
                  "\nb = a[..]\ns = " + reduction + "(" + formula + ")\nt = " + reduction +
                  "(reshape(b, 1, 40000), over: 2)\nexpect same(s, t[1])\nexpect type(s) == type(t)")
                  .ok);
      }
  CHECK(run("k = int64([2^62, 2^62, -2^62, -2^62, 5])\nexpect sum(k + 0) == 5").ok);
  CHECK(holds(error_of("k = int64([2^62, 2^62])\ns = sum(k + 0)"), "the sum does not fit int64"));
  CHECK(holds(error_of("k = int32([2^30, 2^30])\ns = sum(k + 0)"), "the sum does not fit int32"));
  CHECK_FALSE(run("x = zeros(0)\ns = max(2 * x)").ok);
  CHECK(run("x = zeros(0)\nexpect sum(2 * x) == 0").ok);
}

TEST_CASE("formulas are reduced over an axis as their arrays are") {
  for (const auto* const size : {"3, 4", "1, 7", "9, 1", "300, 500", "2, 90000"})
    for (const std::string reduction : {"sum", "mean", "min", "max"})
      for (const auto* const axis : {"1", "2"})
        for (const auto* const formula :
             {"m * 2 - n", "m' * 2 + (1..length(m))", "exp(m) * down(n[.., 1]) + 0", "n[.., 1] / 2 * m'"}) {
          INFO(reduction << " of " << formula << " over " << axis << ", " << size);
          CHECK(
              run(fmt::format("seed(6)\nm = random({0})\nn = random({0})\ns = {1}({2}, over: {3})\nc = {2}\n"
                              "expect same(s, {1}(c, over: {3}))",
                              size, reduction, formula, axis))
                  .ok);
        }
  CHECK(run("m = zeros(2, 3, 4)\nexpect same(shape(sum(m + 1, over: 2)), [2, 4])").ok);
  CHECK(run("v = [1, 2]\nexpect sum(v + 1, over: 1) == 5").ok);
  CHECK_FALSE(run("v = [1, 2]\ns = sum(v + 1, over: 2)").ok);
  CHECK(run("m = int64([1, 2 | 3, 4])\nexpect same(sum(m * 2, over: 1), int64([8, 12]))").ok);
  const auto odd = run("m = [1, nan | 3, 4]\ns = sum(m * 2, over: 2)\nexpect is_nan(s[1]) and s[2] == 14");
  CHECK(odd.ok);
  CHECK(odd.messages.find("nan") != std::string::npos);
  CHECK(run("m = zeros(3, 0)\nexpect same(sum(m + 1, over: 2), [0, 0, 0])").ok);
}

TEST_CASE("reductions of selections are those of the chosen elements") {
  const std::string start =
      "seed(4)\na = random(5000) * 2 - 1\nb = random(5000)\nm = random(50, 40) - 0.5\nk = int64(1..9)\n";
  for (const std::string chosen :
       {"a[a > 0]", "a[b < 0.25 and a > 0]", "m[m > 0]", "m[not m > 0]", "a[a > 2]", "k[k > 4]"})
    for (const std::string reduction : {"sum", "mean", "min", "max"}) {
      if (chosen == "a[a > 2]" && reduction != "sum") continue;
      INFO(reduction << " of " << chosen);
      CHECK(run(start + "s = " + reduction + "(" + chosen + ")\nc = " + chosen + "\nexpect same(s, " +
                reduction + "(c))")
                .ok);
    }
  const auto empty = run("a = [1, 2]\ns = max(a[a > 3])"),
             other = run("a = [1, 2]\nb = a[a > 3]\ns = max(b)");
  CHECK(empty.ok == other.ok);
  CHECK_FALSE(run("a = [1, 2, 3]\nb = [1, 2]\ns = sum(a[b > 1])").ok);
  CHECK_FALSE(run("m = zeros(3, 2)\nb = [1, 2]\ns = sum(m[b > 1])").ok);
  CHECK(run("a = 3\nb = [a > 2]\nexpect sum(b) == 1").ok);
  CHECK(run("a = [1, nan, 3]\ns = sum(a[a > 0])\nexpect s == 4\nt = sum(a[not a > 1])\nexpect is_nan(t)").ok);
}

TEST_CASE("formulas of selections are those of the chosen elements") {
  // Elements by their positions are an array before the formula.
  for (const auto* const n : {"0", "1", "9", "600", "5000", "70000"}) {
    const auto start = std::string("seed(7)\nn = ") + n +
                       "\na = random(n) - 0.5\nb = random(n)\nk = int64(floor(b * 100))\nf = float32(a)\n"
                       "z = a + 1i * b\nr = 1..n\nm = random(n, 3)\nlimit = 0.25\n"
                       "fn bump(x, w) = exp(-x^2) * w\n";
    for (const std::string condition : {"a > 0", "b < limit and not a > 0.1", "k == 7", "a > 9", "b >= 0"}) {
      const auto c = "[" + condition + "]", p = std::string("[p]");
      for (const std::string formula :
           {"-a#", "a#*2 + b#", "sqrt(b#) * k#", "k# * 2 + k#", "f# * 2 + f#", "z# * a# - 1", "r#*2 + a#",
            "pick(a# > 0.2, b#, limit)", "bump(a#, b#) + 1", "float32(a#) + 1", "a# > b#"}) {
        if (std::string(n) == "0" && (formula.starts_with("r") || formula.starts_with("z"))) continue;
        INFO(formula << " where " << condition << ", n = " << n);
        const auto chosen = [&](const std::string& by) {
          std::string out;
          for (const char letter : formula) out += letter == '#' ? by : std::string(1, letter);
          return out;
        };
        const auto outcome =
            run(start + "q = " + condition + "\np = positions(q)\nx = " + chosen(c) + "\ny = " + chosen(p) +
                "\nw = " + chosen("[q]") +
                "\nexpect same(x, y) and same(w, y)\nexpect type(x) == type(y) and type(w) == type(y)\n"
                "x[..] = " +
                chosen(c) + "\nexpect same(x, y)");
        INFO(outcome.messages);
        CHECK(outcome.ok);
      }
      if (std::string(n) == "0") continue;
      INFO("sums where " << condition << ", n = " << n);
      CHECK(run(start + "q = " + condition + "\np = positions(q)\ns = sum(a[p]*b[p] + 1)\nt = sum(a" + c +
                "*b" + c +
                " + 1)\nu = sum(a[q]*b[q] + 1)\nexpect same(s, t) and same(s, u)\nv = sum(a[q])\n"
                "expect same(v, sum(a[p]))\nw = sum(k[q] > 9)\nexpect w == sum(k" +
                c + " > 9)")
                .ok);
    }
    CHECK(run(start + "p = m[m > 0.5]\nexpect same(m[m > 0.5] * 2 - 1, p * 2 - 1)").ok);
  }
  // What else may stand where a condition does.
  CHECK(run("a = 1..9\nb = [2, 3]\nexpect same(a[b] * 2 + b, [6, 9])").ok);
  CHECK(holds(error_of("a = [1, 2, 3]\nb = [1, 2]\nx = a[b > 1] * 2 + 1"),
              "a mask of shape 2 does not fit an array of shape 3"));
  CHECK_FALSE(run("a = [1, 2, 3]\nb = [1, 2]\nx = a[b > 1] * 2 + 1").ok);
  CHECK_FALSE(run("a = [1, 2, 3]\nx = a[a > 1] * a + 1").ok);
  CHECK(run("a = [1, 2, 3]\nx = a[a > 1] * [1, 2] + a[a > 2]\nexpect same(x, [5, 9])").ok);
  // A name may hold places, one place or booleans.
  CHECK(
      run("fn f(a, by) { return a[by] * 2 + a[by] }\nfn g(a, by) { return sum(a[by]) }\na = [5, 6, 7]\n"
          "mask = [true, false, true]\nexpect same(f(a, [3, 1]), [21, 15]) and same(f(a, mask), [15, 21])\n"
          "expect f(a, 2) == 18 and same(f(a, a > 6), [21])\nexpect g(a, [3, 1]) == 12 and g(a, mask) == 12\n"
          "expect g(a, 2) == 6 and g(a, a > 6) == 7 and g(a, a > 9) == 0")
          .ok);
  CHECK(holds(error_of("a = [1, 2, 3]\nm = [true, false]\nx = a[m] * 2 + 1"),
              "a mask of shape 2 does not fit an array of shape 3"));
  CHECK(holds(error_of("a = [1, 2, 3]\nk = 4\nx = a[k] * 2 + 1"), "line 3, column 5"));
  CHECK(run("a = [1, 4, 9]\nx = sqrt(a[a > 1] - 5)\nexpect is_nan(x[1]) and x[2] == 2").ok);
}

TEST_CASE("a formula of selections makes no array of them") {
  MemoryHost host;
  const SessionOptions options;
  TestSession session(host, options);
  REQUIRE(session.run("a.eq", "a = random(100000) - 0.5\nb = random(100000)\ns = sum(a[a > 0] * b[a > 0])"));
  const auto before = memory_use();
  REQUIRE(session.run("b.eq", "s = sum(a[a > 0] * b[a > 0])"));
  CHECK(memory_use().bytes - before.bytes < 110'000);  // some of the booleans at a time
}

TEST_CASE("smaller parts of a formula are calculated once") {
  CHECK(run("v = random(30)\nw = random(20)\nm = exp(down(v)) * across(w) + down(v)^2\n"
            "expect same(m[7, 11], exp(v[7]) * w[11] + v[7]^2)")
            .ok);
}

TEST_CASE("fused expressions are reported") {
  SessionOptions options;
  options.explains = true;
  MemoryHost host;
  TestSession session(host, options);
  REQUIRE(session.run("survey.eq",
                      "x = random(100)\nn = int64(1..9)\ny = exp(-x*x) + 1\nz = n*2 + n\nfn f(x) = x + 1\n"
                      "w = f(x)*2 + y[y > 1]*0.5\ns = sum((x - y)^2)"));
  const auto told = session.explanation();
  CHECK(holds(told, "survey.eq, line 3\n  exp(-x*x) + 1\n  fused: 4 operations over up to 100 elements\n"));
  CHECK(holds(told, "survey.eq, line 4\n  n*2 + n\n  fused: 2 operations over up to 9 elements\n"));
  CHECK(holds(told, "fused: 3 operations over up to 100 elements\n  computed before it: f(x), a call\n"));
  CHECK_FALSE(holds(told, "selection"));
  CHECK(holds(told, "fused: 2 operations and a reduction over up to 100 elements"));
}
