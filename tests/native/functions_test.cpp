// Loops with steps, and loops that convert types, calculate with complex numbers and call functions of single
// numbers and short vectors: the same with native code as without, and as closed forms say.
#include <fmt/format.h>

#include <cmath>

#include <catch2/catch.hpp>

#include "support/choices.h"
#include "support/outcome.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

class FunctionPrograms : private Choices {
 public:
  explicit FunctionPrograms(unsigned seed) : Choices(seed) {}

  std::string program() {
    text_ = fmt::format("step = {}\nstart = {}\n", step(), end());
    const bool is_function = chance(60);
    if (is_function) text_ += "fn work() {\n";
    text_ += "s = 0\nt = 0\nz = complex(0.5, 0.25)\nc = complex(-0.3, 0.6)\nh = int64(5)\n";
    text_ += fmt::format("i = {}(3)\nf = float32(0.5)\np = [1, 2, 3]\nq = [0.5, -1, 0.25]\nu = zeros(40)\n",
                         one_of<std::string>({"int32", "uint8", "int64"}));
    text_ += fmt::format("for k in {} {{\n", range());
    const int count = 1 + below(4);
    for (int k = 0; k < count; ++k) text_ += statement() + "\n";
    text_ += "}\n";
    if (is_function) text_ += "return (s, t, z, h, i, f, p, q, u)\n}\nresult = work()\n";
    if (is_function && chance(30)) text_ += fmt::format("step = {}\nother = work()\n", step());
    return text_;
  }

 private:
  std::string step() {
    return one_of<std::string>({"2", "2", "3", "-1", "-2", "7", "0.5", "0.1", "0", "1", "int64(2)", "-0.25",
                                "1e9", "nan", "40", "\"a\""});
  }
  std::string end() { return one_of<std::string>({"1", "30", "40", "0", "-7", "0.5", "int32(4)"}); }
  std::string range() {
    return one_of<std::string>(
        {"1..40 by 2", "40..1 by -1", "39..1 by -2", "2..39 by 3", "1..40 by step", "start..40 by step",
         "start..1 by step", "0..1 by 0.05", "0..3 count 13", "1..13 count 4", "-9..9 by 6", "5..1 by 2",
         "9007199254740900..9007199254740980 by 4", "9007199254740990..9007199254740980 by -3",
         "start..start + 20 by 2", "1..40"});
  }
  std::string real() { return one_of<std::string>({"k", "s", "t", "p[1]", "-2.5", "0.125", "k / 3", "f"}); }
  std::string index() { return one_of<std::string>({"k", "k", "41 - k", "k + 1", "int64(k)", "i"}); }
  std::string vector() {
    return one_of<std::string>({"p", "q", "[k, 1, s]", "[1, 2]", "p * 0.5", "[nan, k, 2]", "p + q"});
  }

  std::string statement() {
    const auto a = real(), b = real();
    switch (below(26)) {
      case 0: return "s += k";
      case 1: return fmt::format("u[{}] += k", index());
      case 2: return fmt::format("s += u[{}] * 0.5", index());
      case 3: return "z = z * z + c";
      case 4: return fmt::format("z = {} / (z + 2)", one_of<std::string>({"1", "c", "z", a}));
      case 5: return fmt::format("z = z ^ {}", one_of<std::string>({"2", "3", "-1", "0.5", "c", "k"}));
      case 6:
        return fmt::format("z = {}(z) * 0.5",
                           one_of<std::string>({"exp", "sqrt", "log", "sin", "conj", "tanh"}));
      case 7: return fmt::format("t += {}(z)", one_of<std::string>({"real", "imag", "abs", "phase"}));
      case 8: return "h = (h * 31 + int64(k)) % 65536";
      case 9: return fmt::format("h = int64({})", a);
      case 10:
        return fmt::format("i = {}({})", one_of<std::string>({"int32", "uint8", "int64"}),
                           one_of<std::string>({"k", "i", "h", "floor(s)", "f"}));
      case 11: return fmt::format("f = float32({})", one_of<std::string>({a, "f", "i", "h"}));
      case 12: return fmt::format("s += float64({})", one_of<std::string>({a, "f", "i", "h"}));
      case 13:
        return fmt::format("s = round({}, {})", one_of<std::string>({"s + 0.123", a, "k * 0.005"}),
                           one_of<std::string>({"2", "digits: 3", "-1", "k", "0", "0.5"}));
      case 14: return fmt::format("t += clamp({}, {}, {})", a, b, real());
      case 15: return fmt::format("t += norm({})", vector());
      case 16: return fmt::format("p = cross({}, {}) * 0.01 + q", vector(), vector());
      case 17:
        return fmt::format("if member({}, {}) {{ s += 1 }}",
                           one_of<std::string>({"k", "k % 10", "i", "s", "nan"}), vector());
      case 18: return "if imag(z) > 0 and abs(z) > 100 { z = c }";
      case 19: return "if is_nan(t) or abs(t) > 1e6 { t = 0.5 }";
      case 20:
        return fmt::format("for j in k..{} by {} {{ s += j * 0.5 }}",
                           one_of<std::string>({"k + 9", "k - 9", "k"}),
                           one_of<std::string>({"2", "-3", "step"}));
      case 21: return fmt::format("if k > {} {{ break }}", 10 + below(30));
      case 22: return "step = 2";
      case 23:
        return fmt::format("t += {}({})",
                           one_of<std::string>({"min", "max", "mean", "std", "median", "argmin", "argmax",
                                                "rms", "product", "variance", "sum"}),
                           vector());
      case 24: return "m = (k % 5 - 2) * [0, 1, -1, 0]\nt += 1 / (min(m) + max(m) + 8)\nu[1] = max(m)";
      default: return "i = i + 1";
    }
  }

  std::string text_;
};

}  // namespace

TEST_CASE("loops with steps, conversions, complex numbers and functions give the same natively") {
  compare_programs([](unsigned seed) { return FunctionPrograms(seed).program(); }, 120, 0.2);
}

TEST_CASE("a loop with a step visits the elements of its range") {
  // Sums of arithmetic progressions.
  CHECK(native_result("s = 0\nfor k in 1..999 by 2 { s += k }\nresult = s") == 500 * 500);
  CHECK(native_result("s = 0\nfor k in 1000..1 by -3 { s += k }\nresult = s") == 334 * (1000 + 1) / 2);
  CHECK(native_result("s = 0\nfor k in 1..0 by 2 { s += k }\nresult = s") == 0);
  CHECK(native_result("s = 0\nfor k in 0..1 by 0.125 { s += k }\nresult = s") == 4.5);
  // The step is a variable, and another one each time.
  CHECK(native_result("s = 0\nfor d in 1..10 {\n  for k in 0..10 * d by d { s += k }\n}\nresult = s") ==
        55 * 55);
  // What is assigned to the loop's variable does not change the iteration.
  CHECK(native_result("s = 0\nfor k in 1..99 by 2 {\n  s += k\n  k = 5\n}\nresult = s") == 2500);
}

TEST_CASE("the elements of a range in a loop are those of its array") {
  MemoryHost host;
  TestSession session(host, {});
  for (const std::string range :
       {"1..20 by 3", "-5..5 by 2", "10..-10 by -4", "0..1 by 0.1", "0..3000000001 by 1000000000",
        "1..2 count 7", "4503599627370496..4503599627370500 by 2", "0..2e9 by 1e9",
        "9007199254740980..9007199254740992 by 3"}) {
    CAPTURE(range);
    REQUIRE(session.run("test.eq", "n = 0\na = [" + range + "] + 0\nfor x in " + range +
                                       " {\n  n += 1\n  expect x == a[n]\n}\nexpect n == length(a)"));
  }
}

TEST_CASE("complex division, powers and functions in a loop have their closed forms") {
  // The fixed point of z = 1 / (1 + z) is the golden section; that of z = sqrt(z + 2) is 2.
  CHECK(std::fabs(
            native_result("z = complex(0.5, 0.5)\nfor k in 1..100 { z = 1 / (1 + z) }\nresult = real(z)") -
            (std::sqrt(5.0) - 1) / 2) < 1e-15);
  CHECK(
      std::fabs(native_result("z = complex(0.5, 0.5)\nfor k in 1..100 { z = sqrt(z + 2) }\nresult = abs(z)") -
                2) < 1e-15);
  CHECK(std::fabs(
            native_result("z = complex(0, 1)\ns = 0\nfor k in 1..100 { s += real(z^3 * z) }\nresult = s") -
            100) < 1e-13);
}

TEST_CASE("functions of single numbers and short vectors in a loop have their closed forms") {
  CHECK(native_result("s = 0\nfor k in 1..100 { s += norm([3 * k, 4 * k]) }\nresult = s") == 5 * 5050);
  CHECK(native_result(
            "p = [1, 0, 0]\nq = [0, 1, 0]\nfor k in 1..99 { p, q = q, cross(p, q) }\nresult = sum(p)") == 1);
  CHECK(native_result("s = 0\nfor k in 1..100 { s += round(k * 0.25, 1) }\nresult = s") ==
        Approx(5050 * 0.25 + 50 * 0.05));
  CHECK(native_result("s = 0\nfor k in 1..100 { if member(k % 10, [1, 3, 7]) { s += 1 } }\nresult = s") ==
        30);
  CHECK(native_result("s = 0\nfor k in 1..100 { s += clamp(k, 10, 20) }\nresult = s") == 100 + 135 + 20 * 81);
  // A generator of random numbers by remainders.
  CHECK(native_result(
            "h = int64(7)\nfor k in 1..100 { h = (h * 48271) % int64(2147483647) }\nresult = float64(h)") ==
        [] {
          std::int64_t h = 7;
          for (int k = 0; k < 100; ++k) h = h * 48271 % 2147483647;
          return static_cast<double>(h);
        }());
}
