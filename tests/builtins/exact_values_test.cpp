// Nothing becomes another value without a word: digits of large integers, fractions beside float32, and
// the kind of timestamps.
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "array/order.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

__extension__ using Wide = __int128;

// Compares an integer with a real one digit by digit: -1, 0 or 1.
int compared(std::int64_t n, double x) {
  if (x >= 9223372036854775808.0) return -1;
  if (x < -9223372036854775808.0) return 1;
  const double floor = std::floor(x);
  const auto whole = static_cast<Wide>(floor);
  if (static_cast<Wide>(n) != whole) return static_cast<Wide>(n) < whole ? -1 : 1;
  return x > floor ? -1 : 0;
}

template <class T>
Array of(const std::vector<T>& elements) {
  Array out(type_of<T>, {static_cast<Index>(elements.size())});
  std::copy(elements.begin(), elements.end(), out.mutable_data<T>());
  return out;
}

}  // namespace

TEST_CASE("numbers are near when they are equal, or finite and close") {
  check_calls({{"near(1, inf)", "false"},
               {"near(inf, -inf)", "false"},
               {"near([1, 2], [1, inf])", "false"},
               {"near(inf, inf)", "true"},
               {"near([1, -inf], [1 + 1e-12, -inf])", "true"},
               {"near(nan, nan)", "false"},
               {"near(1, inf, relative: inf)", "false"},
               {"near(1, 2, absolute: inf)", "true"},
               {"near(complex(1, inf), complex(1, 0))", "false"},
               {"near(int64(2)^53 + 1, 2^53)", "true"},
               {"near(int64(2)^53 + 1, 2^53, relative: 0)", "false"}});
}

TEST_CASE("a single float32 does not narrow what is beside it") {
  check_calls({{"type(float32(1) + 0.5)", "float64"},
               {"type(float32(1) * 2)", "float64"},
               {"type(float32(1) + float32(2))", "float32"},
               {"type(float32([1, 2]) + 0.5)", "float32"},
               {"type(float32([1, 2]) + float32(2))", "float32"},
               {"type(float32([1, 2]) + [0.5, 1])", "float64"},
               {"type(max(float32(1), 0.5))", "float64"},
               {"type(pick(true, float32(1), 0.5))", "float64"},
               {"2461000.5 + float32(0.125) == 2461000.625", "true"},
               {"2461000.5 < float32(2461000.25)", "false"}});
  // Sums one by one, at once, and by a function are the same.
  CHECK(run("v = float32([0.1, 0.2, 0.3])\ns = 0\nfor x in v { s += x }\nexpect type(s) == \"float64\"\n"
            "expect s == sum(float64(v))\nfn g(a, b) = a + b\n"
            "expect same(each g(v, [0.5, 1, 2]), g(v, [0.5, 1, 2]))\n"
            "expect same(g(v[1], 0.1), float64(v[1]) + 0.1)")
            .messages.empty());
}

TEST_CASE("timestamps stay timestamps") {
  const std::string times = "t = timestamp([\"2026-01-01\", \"2026-01-02\", \"2026-01-03\"])\n";
  for (const std::string made : {"t[1] + float32([60, 120, 180])",
                                 "t + float32(60)",
                                 "pick([true, false, true], t, t[1])",
                                 "pick(t < t[2], t, 0)",
                                 "clamp(t, t[1], t[2])",
                                 "max(0, t)",
                                 "min(t[3], t)",
                                 "max(0, 1, t)",
                                 "keys({t[1]: 1, t[2]: 2})",
                                 "t[[3, 1]]",
                                 "reverse(t)",
                                 "sort(t)",
                                 "unique(t)",
                                 "append(t, t[1])",
                                 "repeat(t, 2)",
                                 "join(t, t)",
                                 "stack(t, t)",
                                 "[t[2], t[1]]",
                                 "[x for x in t]",
                                 "rotate(t, 1)",
                                 "flatten(t)",
                                 "reshape(t, 3, 1)",
                                 "across(t)",
                                 "down(t)",
                                 "split(t, 3)[1]",
                                 "t[1]..t[3] by 3600",
                                 "filter(fn(x) = x > t[1], t)",
                                 "median(t)",
                                 "min(t)",
                                 "quantile(t, 0.5)",
                                 "mean(t)"}) {
    CAPTURE(made);
    CHECK(run(times + "x = " + made + "\nx = flatten(x)\nprint(\"{x[1]}\")").printed.starts_with("2026-01"));
  }
  CHECK(run(times + "x = zeros(3)\nx[1] = t[1]\nx[2..3] = t[2..3]\nexpect same(x, t)").ok);
  CHECK(run(times + "x = zeros(3)\nfor k in 1..3 { x[k] = t[k] }\nx[2] += 60\nprint(\"{x[2]}\")").printed ==
        "2026-01-02T00:01\n");
  // Through aliases, one and two deep, and by a condition; where nothing is assigned, nothing changes.
  CHECK(run(times +
            "x = zeros(3)\nw = alias x[1..2]\nu = alias w[2..2]\nu[1] = t[2]\nprint(\"{x[2]} {w[2]}\")\n"
            "y = zeros(3)\ny[[true, false, true]] = t[1]\nprint(\"{y[3]}\")\n"
            "z = zeros(3)\nz[z > 1] = t[1]\nz[3..2] = t[1]\nprint(z)")
            .printed == "2026-01-02 2026-01-02\n2026-01-01\n  0  0  0\n");
}

TEST_CASE("integers beyond 2^53 keep their digits as keys, in loops and in comparisons") {
  check_calls({{"length({int64(2)^53: 1, int64(2)^53 + 1: 2})", "2"},
               {"get({int64(2)^53 + 1: 2}, 2^53, 0)", "0"},
               {"get({int64(7): 2}, 7, 0)", "2"},
               {"keys({int64(2)^53 + 1: 2})[1] == int64(2)^53 + 1", "true"},
               {"length([k for k in int64(2)^53..int64(2)^53 + 3])", "4"},
               {"sum((int64(2)^53..int64(2)^53 + 3) - int64(2)^53)", "6"},
               {"length(int64(2)^53 + 10..int64(2)^53 by -5)", "3"},
               {"length(int64(2)^53 + 1..int64(2)^53)", "0"},
               {"int64(2)^53 + 1 == 2^53", "false"},
               {"int64(2)^53 + 1 > 2^53", "true"},
               {"member(int64(2)^53 + 1, [2^53])", "false"},
               {"member(2^53, int64([9007199254740993]))", "false"}});
}

TEST_CASE("sets of integers and of real ones are compared by value") {
  std::mt19937_64 random(27);
  const auto whole = [&] {
    const int bits = std::uniform_int_distribution<int>(1, 63)(random);
    const auto n = static_cast<std::int64_t>(random() >> (64 - bits));
    return random() % 2 ? n : -n;
  };
  for (int round = 0; round < 2000; ++round) {
    std::vector<std::int64_t> wholes;
    std::vector<double> reals;
    for (int k = 0; k < 8; ++k) {
      wholes.push_back(whole());
      // Reals near the integers, so that rounding would show.
      const double x = static_cast<double>(random() % 3 ? wholes[random() % wholes.size()] : whole());
      reals.push_back(random() % 4 ? x : std::nextafter(x, random() % 2 ? INFINITY : -INFINITY));
    }
    if (round % 10 == 0) reals[3] = 9223372036854775808.0;
    if (round % 10 == 1) wholes[3] = std::numeric_limits<std::int64_t>::max();
    const auto in_reals = member(of(wholes), of(reals)).to_vector<bool>();
    std::sort(reals.begin(), reals.end());
    const auto places = locate(of(reals), of(wholes)).to_vector<double>();
    std::vector<std::int64_t> rising = wholes;
    std::sort(rising.begin(), rising.end());
    const auto in_wholes = member(of(reals), of(wholes)).to_vector<bool>();
    const auto below = locate(of(rising), of(reals)).to_vector<double>();
    int differences = 0;
    for (std::size_t k = 0; k < wholes.size(); ++k) {
      const auto n = wholes[k];
      differences += in_reals[k] !=
                     std::any_of(reals.begin(), reals.end(), [&](double x) { return compared(n, x) == 0; });
      differences +=
          places[k] != static_cast<double>(std::count_if(reals.begin(), reals.end(),
                                                         [&](double x) { return compared(n, x) >= 0; }));
      const double x = reals[k];
      differences += in_wholes[k] != std::any_of(wholes.begin(), wholes.end(),
                                                 [&](std::int64_t m) { return compared(m, x) == 0; });
      differences +=
          below[k] != static_cast<double>(std::count_if(wholes.begin(), wholes.end(),
                                                        [&](std::int64_t m) { return compared(m, x) <= 0; }));
    }
    REQUIRE(differences == 0);
  }
}

TEST_CASE("integers and real ones are compared by value, at once and one by one") {
  std::mt19937_64 random(28);
  for (int round = 0; round < 200; ++round) {
    std::vector<std::int64_t> wholes;
    std::vector<double> reals;
    for (int k = 0; k < 40; ++k) {
      const int bits = std::uniform_int_distribution<int>(40, 63)(random);
      wholes.push_back(static_cast<std::int64_t>(random() >> (64 - bits)) * (random() % 2 ? 1 : -1));
      const auto x = static_cast<double>(wholes.back());
      reals.push_back(random() % 2 ? x : std::nextafter(x, random() % 2 ? INFINITY : -INFINITY));
    }
    wholes[0] = std::numeric_limits<std::int64_t>::max();
    wholes[1] = std::numeric_limits<std::int64_t>::min();
    reals[0] = 0x1p63;
    reals[1] = -0x1p63;
    reals[2] = INFINITY;
    const auto below = apply(Binary::less, of(wholes), of(reals)).to_vector<bool>(),
               equal = apply(Binary::equal, of(wholes), of(reals)).to_vector<bool>(),
               above = apply(Binary::less_equal, of(reals), of(wholes)).to_vector<bool>();
    for (std::size_t k = 0; k < wholes.size(); ++k) {
      const int right = compared(wholes[k], reals[k]);
      REQUIRE(below[k] == (right < 0));
      REQUIRE(equal[k] == (right == 0));
      REQUIRE(above[k] == (right >= 0));
    }
  }
  CHECK(run("n = int64(2)^53 + int64(1..5)\nx = 2^53 + [0, 2, 4, 4, 6]\nexpect same(n < x, [n[k] < x[k] for "
            "k in 1..5])\n"
            "expect same(n < x, [false, false, true, false, true])\n"
            "expect same(x == n, [false, true, false, true, false])\n"
            "y = 2^53\nexpect all(y < n)\nexpect not any(n == y)\n"
            "expect same(2 * sum(n > y + 2), 2 * 3)")
            .messages.empty());
}

TEST_CASE("comprehensions over nothing have the shape of their grid, and conditions stand between loops") {
  check_calls({{"shape([a * b for a down [], b across 1..3])", "[0, 3]"},
               {"shape([a * b for a down 1..2, b across []])", "[2, 0]"},
               {"shape([a * b for b across 1..3, a down []])", "[0, 3]"},
               {"[10 * a + b for a in 1..3 if a != 2 for b in 1..a]", "[11, 31, 32, 33]"},
               {"[a + b + c for a in 1..2 if a > 1 for b in 1..2 if b > 1 for c in 1..3 if c < 3]", "[5, 6]"},
               {"length([1 for a in 1..3 if false for b in 1..9])", "0"}});
  CHECK(error_of("x = [1 for a in 1..3 if a for b in 1..2]").find("a condition must be a boolean") !=
        std::string::npos);
}

TEST_CASE("repeated timings start from the same values behind aliases") {
  CHECK(run("a = [1, 2, 3]\nw = alias a[1..2]\ntimed \"x\" (repeat: 5) { w[1] += 1 }\nexpect a[1] == 2\n"
            "timed \"y\" (repeat: 5) { w[..] += 1; a[3] += 1 }\nexpect same(a, [3, 3, 4])")
            .ok);
}

TEST_CASE("groups keep the fields of their results, and may be empty") {
  const std::string table = "t = (k: [1, 1, 2], v: [1, 2, 3])\n";
  CHECK(error_of(table + "g = group(fn(p) = (k: 7, m: 2), t, by: \"k\")").find("`f` returns a field k") !=
        std::string::npos);
  CHECK(error_of("t = (value: [1, 1, 2])\ng = group(fn(p) = 7, t, by: \"value\")")
            .find("`f` returns a field value") != std::string::npos);
  CHECK(run(table + "g = group(fn(p) = (n: sum(p.v), name: \"x\"), rows(t, t.k > 5), by: \"k\")\n"
                    "expect length(g.k) == 0 and length(g.n) == 0\n"
                    "expect same(keys(g), [\"k\", \"n\", \"name\"])")
            .ok);
  CHECK(run(table + "g = group(fn(p) = (n: max(p.v)), rows(t, t.k > 5), by: \"k\")\nexpect length(g.k) == 0")
            .ok);
}
