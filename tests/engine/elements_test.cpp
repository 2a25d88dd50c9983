// Single elements in loops give what whole arrays give: values, types, errors and warnings.
#include <catch2/catch.hpp>
#include <random>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::vector<std::string> kElementTypes = {"int32",   "int64",   "uint8",     "bool",
                                                "float32", "float64", "complex128"};
const std::vector<std::string> kElementOperators = {"+",  "-",  "*", "/",  "%", "^",
                                                    "==", "!=", "<", "<=", ">", ">="};

// What a run of the text comes to: what it printed, or its error without the location.
std::string result_of(const std::string& text) {
  const auto r = run(text);
  const auto line = r.messages.substr(0, r.messages.find('\n'));
  return r.ok ? r.printed + (line.starts_with("warning") ? line : "") : line;
}

}  // namespace

TEST_CASE("an operation on two elements gives the element of the operation on arrays, for all types") {
  std::mt19937 random(5);
  const auto pick = [&](const std::vector<std::string>& from) {
    return from[std::uniform_int_distribution<std::size_t>(0, from.size() - 1)(random)];
  };
  const std::vector<std::string> values = {"0", "1", "2", "3", "7", "100", "200"};
  const std::vector<std::string> wide = {"-5", "2147483647", "-2147483647", "9007199254740993", "0", "1"};
  for (int round = 0; round < 400; ++round) {
    const auto left = pick(kElementTypes), right = pick(kElementTypes), op = pick(kElementOperators);
    const auto value = [&](const std::string& type) {
      if (type == "bool") return pick({"0", "1"});
      return type == "uint8" || round % 3 ? pick(values) : pick(wide);
    };
    const auto a = left + "([" + value(left) + ", 1])", b = right + "([" + value(right) + ", 1])";
    // A number that is a literal, and one that is not.
    const auto operand = round % 4 == 0 ? value(right) : round % 4 == 1 ? "x" : "b[k]";
    const auto whole = round % 4 == 0 ? operand : round % 4 == 1 ? "x" : "b[1..1]";
    const auto start = "a = " + a + "\nb = " + b + "\nx = " + pick({"2", "0.5", "3"}) + "\nk = 1\n";
    const auto single = result_of(start + "r = a[k] " + op + " " + operand + "\nprint(r, type(r))");
    const auto array = result_of(start + "r = a[1..1] " + op + " " + whole + "\nprint(r[1], type(r))");
    CAPTURE(start, op, operand, single, array);
    // A single float32 beside another single number has the wider type, an array of float32 keeps its own.
    if (left != "float32" && right != "float32")
      CHECK(single == array);
    else
      CHECK(single.starts_with("error") == array.starts_with("error"));
  }
}

TEST_CASE("loops over elements of every type give what expressions of arrays give") {
  for (const auto& type : kElementTypes) {
    CAPTURE(type);
    const auto of =
        type == "bool" ? std::string("bool([1, 0, 1, 1, 0, 0])") : type + "([1, 0, 3, 4, 5, 120])";
    // Copy, count, compare, update.
    CHECK(run("a = " + of +
              "\nb = zeros(like: a)\nfor k in 1..6 { b[k] = a[7 - k] }\nexpect same(b, reverse(a))")
              .ok);
    if (type == "complex128") continue;
    CHECK(run("a = " + of + "\nn = 0\nfor k in 1..6 { if a[k] > 0 { n += 1 } }\nexpect n == sum(a > 0)").ok);
    if (type == "bool") continue;
    CHECK(run("a = " + of +
              "\nb = a\nfor k in 1..6 { b[k] += 2 }\nexpect same(b, a + 2) and type(b) == type(a)")
              .ok);
    CHECK(run("m = reshape(" + of + ", 2, 3)\ns = m[1, 1] + m[2, 3]\nexpect s == 121 and type(s) == \"" +
              type + "\"")
              .ok);
  }
}

TEST_CASE("elements that do not fit are errors, and nothing is lost") {
  check_errors({{"a = int32([2147483647])\na[1] += 1", "integer overflow: 2147483647 + 1 does not fit int32",
                 "int64(a) holds larger numbers, float64(a) calculates with rounding"},
                {"a = uint8([3])\na[1] = 256", "256 cannot become uint8: it is outside 0 to 255",
                 "int64(a) holds larger numbers"},
                {"a = uint8([3])\na[1] = 2.5", "2.5 cannot become uint8: it is not an integer",
                 "round(x) makes it whole; float64(a) makes an array that holds fractions"},
                {"a = bool([1])\na[1] = 2", "2 cannot become a boolean: only 0 and 1 can", "x != 0"},
                {"a = int64([1])\nx = a[1] % 0 * int64(1)",
                 "the remainder of a division by the integer 0 is undefined", "float64(a) % 0 is nan"}});
  CHECK(
      run("a = int64([9007199254740993])\nb = a\nb[1] = a[1]\nexpect same(a, b) and b[1] > 9007199254740992")
          .ok);
  // A copy keeps what it had; a transposed array is written where it shows the element.
  CHECK(run("a = int32([1, 2, 3])\nb = a\na[2] = 7\nexpect same(b, int32([1, 2, 3])) and a[2] == 7").ok);
  CHECK(run("m = int32([1, 2 | 3, 4])'\nm[1, 2] = 9\nexpect same(m, int32([1, 9 | 2, 4]))").ok);
  // Axes that run backwards, and more than two of them.
  CHECK(run("v = reverse(int32([1, 2, 3]))\nexpect v[1] == 3 and v[3] == 1\nv[3] = 9\nexpect same(v, "
            "int32([3, 2, 9]))")
            .ok);
  CHECK(run("v = reverse([1, 2, 3])\nv[2] += 5\nexpect same(v, [3, 7, 1])").ok);
  CHECK(
      run("c = int64(reshape(1..24, 2, 3, 4))\nc[2, 3, 4] += 1\nexpect c[2, 3, 4] == 25 and c[1, 2, 3] == 7")
          .ok);
  CHECK(run("a = uint8([1, 2])\nb = a[2] - a[1]\nexpect b == 1 and type(b) == \"int32\"").ok);
}
