// Loops with records, tuples, texts, and values of the module or of an enclosing function: the same with
// native code as without, and as closed forms say.
#include <fmt/format.h>

#include <catch2/catch.hpp>

#include "array/buffer.h"
#include "support/choices.h"
#include "support/outcome.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

// Programs whose loops read and make such values. Some fail half way: fields that do not exist, subscripts
// out of range, names without a value.
class ValuePrograms : private Choices {
 public:
  explicit ValuePrograms(unsigned seed) : Choices(seed) {}

  std::string program() {
    text_ = fmt::format("data = {}\nlist = {}\ncoefficients = [0.5, -1, 2]\nsetting = {}\n", array(),
                        integers(), record());
    text_ += "mode = " + one_of<std::string>({"\"fast\"", "\"slow\"", "\"\""}) + "\n";
    text_ += "words = [\"a\", \"b\", \"c\"]\ndates = timestamp(\"2026-06-01\") + (1..40) * 60\n";
    text_ += "table = (a: (1..40) * 0.25, b: int32((1..40) % 5), name: \"Velm\")\n";
    text_ += fmt::format("fn scaled(x) = setting.a * x + {}\n", number());
    text_ += fmt::format("fn item(k) = data[k] * {} + coefficients[{}]\n", number(), 1 + below(4));
    text_ += "fn summed(k) {\n  r = 0\n  for j in 1..4 { r += data[j] * setting.a + k }\n  return r\n}\n";
    text_ += "fn moved(state, by) = (a: state.a + by, b: state.b - 0.1 * state.a)\n";
    const bool is_function = chance(70);
    if (is_function) text_ += "fn work(n) {\n";
    text_ +=
        fmt::format("n = {}\ns = 0\nt = 0\nu = (1..40) * 1.5\nv = int64(1..40)\n", is_function ? "n" : "30");
    text_ += fmt::format("p = {}\nq = ({}, {})\nh = (1, [2, 3])\n", record(), number(), number());
    if (chance(50)) text_ += "fn inner(k) = u[k] + p.a * coefficients[2] + w[1]\nw = [1, 2, 3]\n";
    has_inner_ = text_.find("fn inner") != std::string::npos;
    const bool is_nested = chance(40);
    if (is_nested) text_ += "for o in 1..3 {\n";
    text_ += chance(70) ? fmt::format("for k in 1..{} {{\n",
                                      one_of<std::string>({"n", "v[7]", "n - 2", "table.b[4]"}))
                        : "k = 0\nwhile k < setting.a * 5 and k < 60 {\nk += 1\n";
    statements();
    text_ += "}\n";
    if (is_nested) {
      statements_after();
      text_ += "}\n";
    }
    if (is_function)
      text_ +=
          "return (s, t, u, v, p, q, h)\n}\nresult = work(30)\n" +
          (chance(30) ? fmt::format("setting = {}\ndata[3] = 9\nx = work(12)\n", record()) : std::string());
    return text_;
  }

 private:
  std::string number() { return one_of<std::string>({"2", "0.5", "-1.25", "3", "1e3"}); }
  std::string array() {
    return one_of<std::string>({"(1..40) % 7 * 0.5", "int32((1..40) % 5)", "float32((1..40) * 0.25)",
                                "(1..40) % 2 == 0", "complex(1..40, 1)", "[1, 2]", "3"});
  }
  std::string integers() {
    return one_of<std::string>({"int64((1..40) % 9 + 1)", "int32((1..40) % 41)", "uint8((1..40) % 9 + 1)"});
  }
  std::string record() {
    return fmt::format("(a: {}, b: {})", number(),
                       one_of<std::string>({number(), "[1, 2]", "\"text\"", "true"}));
  }
  std::string index() {
    return one_of<std::string>(
        {"k", "k", "list[k]", "v[k]", "v[k] - 1", "list[k] + 1", "int64(k)", "uint8(3)", "n - k"});
  }

  void statements_after() {
    text_ +=
        one_of<std::string>({"s += p.a\n", "t += scaled(o)\n", "u[o] = s\n", "q = (o, s)\n", "v[o] = 2\n"});
  }

  void statements() {
    const int count = 1 + below(4);
    for (int k = 0; k < count; ++k) text_ += statement() + "\n";
  }

  std::string statement() {
    switch (below(32)) {
      case 0: return fmt::format("s += data[{}]", index());
      case 1: return fmt::format("s += u[{}] * setting.a", index());
      case 2: return fmt::format("u[{}] = s * 0.5 + k", index());
      case 3: return fmt::format("u[{}] += v[{}]", index(), index());
      case 4: return fmt::format("v[{}] = v[{}] + 1", index(), index());
      case 5: return "p = (a: p.a * 0.5 + k, b: p.b)";
      case 6: return "p = moved(p, 0.25)";
      case 7: return "q = (q[2], q[1] + k)";
      case 8: return fmt::format("t += q[{}]", one_of<std::string>({"1", "2", "k % 2 + 1", "3"}));
      case 9: return "t += p.b";
      case 10: return fmt::format("t += scaled({})", one_of<std::string>({"k", "s", "u[k]"}));
      case 11: return fmt::format("t += item({})", index());
      case 12: return has_inner_ ? fmt::format("s += inner({})", index()) : std::string("s += 1");
      case 13: return "if mode == \"fast\" { s += 1 } else { s -= k }";
      case 14: return "if mode != table.name and k > 3 { t += 1 }";
      case 15: return fmt::format("s += table.a[{}] * table.b[{}]", index(), index());
      case 16: return "h = (h[1] + k, h[2] * 0.5)";
      case 17: return "s += sum(coefficients * k) + h[2][1]";
      case 18: return fmt::format("part = u[k..k+3]\nu[{}] = max(part) + part[2]", index());
      case 19: return "for j in 1..list[k] { s += j * 0.25 }";
      case 20: return "if words[k % 3 + 1] == \"b\" { s += 1 }";
      case 21: return fmt::format("s += min(k, {}, u[k], 7) + max(t, k)", number());
      case 22: return fmt::format("t += sum(u > k) + mean(coefficients < {})", number());
      case 23: return "if any(u < k) and not all(v > 3) { t += 0.5 }";
      case 24: return fmt::format("if dates[{}] - dates[1] > 600 {{ t += 1 }}", index());
      case 25: return "for w in words { if w != mode { s += 0.125 } }";
      case 26: return fmt::format("v[{}] = -v[{}]", index(), index());
      case 27: return fmt::format("t += abs(list[{}]) + max(v[{}], v[k])", index(), index());
      case 28: return fmt::format("v[k] = min(v[{}], v[{}])", index(), index());
      case 29: return fmt::format("s += summed({})", index());
      case 30: return chance(20) ? "t += p.missing" : "t += setting.a - p.a";
      default:
        return fmt::format("if k > {} {{ {} }}", 5 + below(20),
                           one_of<std::string>({"break", "t += 1", "p = (a: 1, b: 2)"}));
    }
  }

  std::string text_;
  bool has_inner_ = false;
};

}  // namespace

TEST_CASE("loops over records, texts and values of the module give the same with native code as without") {
  compare_programs([](unsigned seed) { return ValuePrograms(seed).program(); }, 120, 0.2);
}

TEST_CASE("a loop reads values of the module as they are when it begins") {
  CHECK(native_result("g = (rate: 0.5, steps: 4)\nx = [1, 2, 3]\nfn total(n) {\n  s = 0\n"
                      "  for k in 1..n { s += g.rate * x[k] }\n  return s\n}\n"
                      "a = total(3)\ng = (rate: 2, steps: 4)\nx[2] = 10\nresult = a + total(3)") == 3 + 28);
  // A function that is called in the loop reads them too.
  CHECK(native_result("x = (1..50) * 2\nfn item(k) = x[k] + 1\nfn total(n) {\n  s = 0\n"
                      "  for k in 1..n { s += item(k) }\n  return s\n}\na = total(50)\nx = 1..50\n"
                      "result = a - total(50)") == 50 * 51 / 2);
  CHECK(native_result(
            "fn g(x) = x\nc = 2\nfn total(n) {\n  s = 0\n  for k in 1..n { s += c * g(k) }\n  return s\n}\n"
            "a = total(30)\ng = fn(x) = -x\nb = total(30)\nc = 3\nresult = a - b + total(30)") ==
        (2 + 2 - 3) * 465);
  // The top level calls a function that reads a name that its loop changes.
  CHECK(native_result(
            "c = (by: 1, other: 0)\nx = [1, 2]\nfn g(k) = c.by * k + x[1]\ns = 0\nfor k in 1..40 {\n  "
            "s += g(k)\n"
            "  if k == 20 {\n    c = (by: 2, other: 0)\n    x[1] = 5\n  }\n}\nresult = s") ==
        210 + 2 * (820 - 210) + 20 * 1 + 20 * 5);
  // It does so although the name is not held in a variable throughout.
  CHECK(
      native_result("outside = 0.75\nrow = [4, 3, 2, 1, 0]\nfn behind(k) = row[k] - outside\n"
                    "fn at(a, k) = a[k]\nx = 0.25\nu = [1.5, -2, 3, 0.5, 8]\nm = outer(1..5, 1..5) / 2\n"
                    "g = int32(outer(1..5, 1..5)) - 7\nfor k in 1..24 {\n  for k1 in 2..3 {\n"
                    "    outside -= at(u, k1) * x\n    x += behind(k1) % m[1, k1]\n    k3 = 0\n    k3 += 1\n"
                    "    b = not g[k1, k3] >= g[k3, k3]\n  }\n}\nresult = x") == 28.25);
  // The loop changes the record that it reads.
  CHECK(native_result("fn f(n) {\n  r = (x: 1, y: 2)\n  for k in 1..n { r = (x: r.y, y: r.x + r.y) }\n"
                      "  return r.x\n}\nresult = f(20)") == 17711);
}

TEST_CASE("a window that is kept while the array changes has its own elements") {
  CHECK(native_result("fn f(n) {\n  u = (1..n) * 1.0\n  s = 0\n  for k in 2..n-1 {\n    w = u[k-1..k+1]\n"
                      "    u[k] = 0\n    s += w[2]\n  }\n  return s\n}\nresult = f(100)") ==
        99 * 100 / 2 - 1);
}

TEST_CASE("a write to a large array does not copy it because a small part is in use") {
  for (const std::string kept : {"u[k..k+9]", "u[2 * k]", "u[[1, 2]]"}) {
    CAPTURE(kept);
    MemoryHost host;
    TestSession session(host, {});
    REQUIRE(session.run("test.eq", "u = zeros(100000)\nt = timestamp(\"2026-01-01\") + u"));
    const auto before = memory_use().bytes;
    REQUIRE(session.run("test.eq",
                        "for k in 1..50 {\n  w = " + kept + "\n  u[k] = max(w)\n  t[k] = t[k] + 1\n}"));
    // Both arrays may be copied once.
    CHECK(memory_use().bytes - before < 2 * 800000 + 100000);
  }
}
