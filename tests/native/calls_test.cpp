// Calls in native code: closed forms, the same errors as without it, and the same random numbers.
#include <catch2/catch.hpp>
#include <cmath>

#include "engine/hot.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

struct Ran {
  bool ok = false;
  double result = 0;
  std::string messages;
};

Ran run_with(NativeUse use, const std::string& program) {
  MemoryHost host;
  SessionOptions options;
  options.native = use;
  TestSession session(host, options);
  Ran out;
  out.ok = session.run("test.eq", program);
  if (const auto* value = session.find("result"); value && value->is_number()) out.result = value->number();
  out.messages = host.messages;
  return out;
}

// The result with native code from the first iteration on; it must be the same without.
double same_result(const std::string& program) {
  CAPTURE(program);
  const auto plain = run_with(NativeUse::off, program), native = run_with(NativeUse::at_once, program);
  CHECK(plain.ok);
  CHECK(native.ok);
  CHECK(native.messages == plain.messages);
  CHECK((native.result == plain.result || (std::isnan(native.result) && std::isnan(plain.result))));
  return native.result;
}

std::string same_error(const std::string& program) {
  CAPTURE(program);
  const auto plain = run_with(NativeUse::off, program), native = run_with(NativeUse::at_once, program);
  CHECK_FALSE(plain.ok);
  CHECK_FALSE(native.ok);
  CHECK(native.messages == plain.messages);
  return native.messages;
}

}  // namespace

TEST_CASE("recursive functions give what recursions give") {
  // Fibonacci numbers, the Ackermann function, binomial coefficients, and two functions that call each other.
  CHECK(same_result("fn f(n) = if n < 2 then n else f(n-1) + f(n-2)\nresult = 0\n"
                    "for k in 1..3 { result = f(20) }") == 6765);
  CHECK(same_result(
            "fn a(m, n) = if m == 0 then n + 1 else if n == 0 then a(m - 1, 1) else a(m - 1, a(m, n - 1))\n"
            "result = 0\nfor k in 1..3 { result = a(2, 9) }") == 21);
  CHECK(same_result("fn c(n, k) = if k == 0 or k == n then 1 else c(n-1, k-1) + c(n-1, k)\nresult = 0\n"
                    "for k in 1..2 { result = c(14, 7) }") == 3432);
  CHECK(same_result("fn even(n) = if n == 0 then true else odd(n - 1)\n"
                    "fn odd(n) = if n == 0 then false else even(n - 1)\nresult = 0\n"
                    "for k in 1..40 { if even(k) { result += 1 } }") == 20);
  CHECK(same_result(
            "fn total(u, k) = if k == 0 then 0 else u[k] + total(u, k - 1)\nu = (1..40) / 2\nresult = 0\n"
            "for k in 1..3 { result = total(u, 40) }") == 410);
}

TEST_CASE("a recursion without end is the same error") {
  const auto message = same_error("fn f(n) = 1 + f(n + 1)\nfor k in 1..2 { r = f(k) }");
  CHECK(message.find("nested too deeply") != std::string::npos);
}

TEST_CASE("a recursion may be deeper than native calls are nested") {
  CHECK(same_result(
            "fn f(n) = if n == 0 then 0 else 1 + f(n - 1)\nresult = 0\nfor k in 1..3 { result = f(6000) }") ==
        6000);
}

TEST_CASE("functions with loops are inlined") {
  CHECK(same_result(
            "fn divisor(a, b) {\n  while b != 0 {\n    t = a % b\n    a = b\n    b = t\n  }\n  return a\n}\n"
            "result = 0\nfor i in 1..60 { for j in 1..60 { if divisor(i, j) == 1 { result += 1 } } }") ==
        2203);
  // The square root by Newton's method.
  CHECK(same_result("fn root(a) {\n  x = a\n  for k in 1..30 { x = 0.5 * (x + a / x) }\n  return x\n}\n"
                    "result = 0\nfor k in 1..50 { result = max(result, abs(root(k)^2 - k) / k) }") < 1e-15);
}

TEST_CASE("functions that are made in a loop capture its numbers") {
  // Bisection for the cube roots of k.
  CHECK(same_result("fn bisect(f, a, b) {\n  while b - a > 1e-9 {\n    m = (a + b) / 2\n"
                    "    if f(m) > 0 { b = m } else { a = m }\n  }\n  return (a + b) / 2\n}\nresult = 0\n"
                    "for k in 1..60 { result = max(result, abs(bisect(fn(x) = x^3 - k, 0, 5)^3 - k)) }") <
        1e-6);
}

TEST_CASE("native code draws the random numbers that the machine draws") {
  CHECK(same_result("seed(3)\nresult = 0\nfor k in 1..50 {\n  x = random()\n  y = random_normal()\n"
                    "  result += x + y * random_whole(1, 6)\n}") != 0);
  CHECK(same_error("for k in 1..5 { x = random_whole(4 - k, 1) }").find("low <= high") != std::string::npos);
}

TEST_CASE("parts of arrays keep their elements when the array changes") {
  CHECK(
      same_result("fn f(n) {\n  m = outer(1..9, 1..9) + 0.5\n  s = 0\n  for k in 1..n {\n    row = m[k, ..]\n"
                  "    m[k, 2] = -1\n    s += row[2] - m[k, 2]\n  }\n  return s\n}\nresult = f(9)") ==
      9 * 1.5 + 2 * 45);
  // Diffusion keeps the sum, up to what reaches the ends.
  CHECK(
      std::fabs(same_result(
                    "fn f(u, n) {\n  for k in 1..n { u[2..last-1] = u[2..last-1] + 0.1 * (u[1..last-2] - 2 * "
                    "u[2..last-1] + u[3..last]) }\n  return u\n}\nu = zeros(80)\nu[40] = 1\n"
                    "result = sum(f(u, 60))") -
                1) < 1e-12);
}

TEST_CASE("a subscript that leaves its range in a late round is the same error") {
  for (const std::string body :
       {"s += u[k]", "s += u[k + 2] * u[k]", "s += u[k - 1]", "u[k] = s", "s += m[k, 3]", "s += m[2, k]",
        "if k > 3 { s += u[k] }", "s += sum(u[k..k+3])"}) {
    const auto message = same_error("fn f(u, m, n) {\n  s = 0\n  for k in 1..n { " + body +
                                    " }\n  return s\n}\nresult = f(ones(20), outer(1..20, 1..20), 30)");
    CHECK(message.find("test.eq, line 3") != std::string::npos);
  }
  // Where the subscript is not reached, there is none.
  CHECK(same_result("fn f(u, n) {\n  s = 0\n  for k in 1..n {\n    if k > 20 { break }\n    s += u[k]\n  }\n"
                    "  return s\n}\nresult = f(ones(20), 30)") == 20);
  CHECK(same_result("fn f(u, n) {\n  s = 0\n  for k in 1..n {\n    if k <= 20 { s += u[k] }\n  }\n"
                    "  return s\n}\nresult = f(ones(20), 3000)") == 20);
}

TEST_CASE("built-ins call functions natively with the same results") {
  CHECK(std::fabs(
            same_result("result = 0\nfor k in 1..5 { result += integrate(fn(x) = k * x^2, (0, 3)).value }") -
            135) < 1e-9);
  CHECK(std::fabs(
            same_result("result = 0\nfor k in 1..9 { result = max(result, abs(find_root(fn(x) = x^3 - k, (0, "
                        "5)).value^3 - k)) }")) < 1e-12);
  CHECK(std::fabs(same_result("r = evolve(fn(t, y) = [y[2], -y[1]], [1, 0], over: (0, 3), relative: 1e-9)\n"
                              "result = r.y[last, 1]") -
                  std::cos(3.0)) < 1e-6);
  CHECK(same_result("result = sum(filter(fn(x) = x % 3 == 0, 1..30))") == 165);
  CHECK(same_result("result = reduce(fn(a, x) = a * 0.5 + x, 1..40)") > 77);
  CHECK(same_result("fn g(x) = if x > 3 then x else -x\nresult = sum(each g((1..10) / 1))") == 43);
  // A function that warns does so as often.
  CHECK(std::isnan(
      same_result("fn g(x) = if x > 2 then sqrt(2.5 - x) else x\nresult = sum(each g((1..4) / 1))")));
}
