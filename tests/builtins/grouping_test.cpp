// Reductions of groups in one sweep, against functions called for each group.
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include <random>

#include "session/value_digest.h"
#include "support/effort.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("reductions of groups have the bits of functions called for each group") {
  std::mt19937_64 random(61);
  const auto one_of = [&](const auto& list) { return list[random() % std::size(list)]; };
  const std::vector<std::string> keys = {"int64(floor(U * 7))",
                                         "int64(floor(U * 300)) - 150",
                                         "floor(U * 40) / 3",
                                         "int32(floor(U * 1e6))",
                                         "each text(floor(U * 5))",
                                         "U > 0.3",
                                         "int64(1e15) + floor(U * 9)",
                                         "pick(U > 0.9, nan, floor(U))",
                                         "uint8(floor(U * 200))",
                                         "int64(floor(U * 7)) + pick(U > 0.9999, 5000, 0)",
                                         "timestamp(\"2026-06-01\") + floor(U * 5)"};
  const std::vector<std::string> columns = {
      "U * 1e3 - 500", "U * 1e-300", "floor(U * 4) * -1", "pick(U > 0.5, 0, -0.0)", "pick(U > 0.999, nan, U)",
      "exp(700 * U)",  "U ^ 30",     "U * 1e308"};
  for (int round = 0; round < repeats(120); ++round) {
    const auto rows = one_of(std::vector<int>{1, 5, 300, 5000, kIsSanitized ? 10000 : 140000});
    const auto with_draws = [&](std::string text) {
      for (auto at = text.find('U'); at != text.npos; at = text.find('U'))
        text.replace(at, 1, fmt::format("random({})", rows));
      return text;
    };
    const auto by = random() % 3 == 0 ? "[\"k\", \"j\"]" : "\"k\"";
    const auto table =
        fmt::format("seed({})\nt = (k: {}, j: {}, x: {}, y: {})\n", round, with_draws(one_of(keys)),
                    with_draws(one_of(keys)), with_draws(one_of(columns)), with_draws(one_of(columns)));
    // A local function is not among the reductions that are recognised.
    const auto text = fmt::format(
        "{0}a = group(fn(p) = (s: sum(p.x), m: mean(p.y), n: length(p.x), low: min(p.x), high: max(p.y)), t, "
        "by: {1})\n"
        "fn all_of(p) {{\n  return (s: sum(p.x), m: mean(p.y), n: length(p.x), low: min(p.x), high: "
        "max(p.y))\n}}\n"
        "b = group(all_of, t, by: {1})\n",
        table, by);
    CAPTURE(text);
    const auto ran = run(text);
    CAPTURE(ran.messages);
    REQUIRE(ran.ok);
    CHECK(digest_of(value_of(text, "a")) == digest_of(value_of(text, "b")));
  }
}

TEST_CASE("reductions of groups keep views, empty tables and messages") {
  const std::string table = "t = (k: [3, 1, 3, 1, 1], x: [1.5, 2, 2.5, 4, 8], n: [1, 2, 3, 4, 5])\n";
  CHECK(run(table + "g = group(fn(p) = (m: mean(p.x)), t, by: \"k\")\nexpect all(g.k == [1, 3])\n"
                    "expect all(abs(g.m - [14 / 3, 2]) < 1e-15)")
            .ok);
  CHECK(run(table +
            "g = group(fn(p) = (m: max(p.x)), rows(t, 5..1 by -2), by: \"k\")\nexpect all(g.m == [8, 2.5])")
            .ok);
  CHECK(run(table + "g = group(fn(p) = (m: sum(p.x)), rows(t, t.k > 5), by: \"k\")\nexpect length(g.k) == 0")
            .ok);
  CHECK(error_of(table + "g = group(fn(p) = (m: sum(p.z)), t, by: \"k\")").find("z") != std::string::npos);
  CHECK(error_of(table + "g = group(fn(p) = (k: sum(p.x)), t, by: \"k\")").find("`f` returns a field k") !=
        std::string::npos);
  // A function of that name that the script defines is called.
  CHECK(run(table +
            "fn mean(v) = 7\ng = group(fn(p) = (m: mean(p.x)), t, by: \"k\")\nexpect all(g.m == [7, 7])")
            .ok);
  const auto warned =
      run(table + "t = (k: t.k, x: [nan, 1, 2, 3, 4])\ng = group(fn(p) = (m: mean(p.x)), t, by: \"k\")");
  CHECK(warned.ok);
  CHECK(warned.messages.find("nan") != std::string::npos);
}
