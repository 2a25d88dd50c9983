// Which cases a study has.
#include "sweep/design.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <set>

#include "base/error.h"

using namespace quill;

namespace sweep_design_test {

namespace {

std::string text_of(const Case& one) {
  std::string out;
  for (const auto& [name, literal] : one.inputs) out += (out.empty() ? "" : " ") + name + "=" + literal;
  return out;
}

Names cases_of(const DesignOptions& options, MemoryHost host = {}) {
  const Design design(host, options);
  Names out;
  for (Index k = 1; k <= design.count(); ++k) {
    REQUIRE(design.at(k).number == k);
    out.push_back(text_of(design.at(k)));
  }
  return out;
}

std::string error_of(const DesignOptions& options, MemoryHost host = {}) {
  try {
    const Design design(host, options);
  } catch (const Error& error) { return error.message; }
  return "";
}

}  // namespace

}  // namespace sweep_design_test

using namespace sweep_design_test;

TEST_CASE("inputs that vary are combined, the first one slowest") {
  DesignOptions options;
  options.vary = {{"rate", "[0.5, 1]"}, {"site", "[\"north\", \"east\"]"}, {"wet", "[true, false]"}};
  CHECK(cases_of(options) == Names{"rate=0.5 site=\"north\" wet=true", "rate=0.5 site=\"north\" wet=false",
                                   "rate=0.5 site=\"east\" wet=true", "rate=0.5 site=\"east\" wet=false",
                                   "rate=1 site=\"north\" wet=true", "rate=1 site=\"north\" wet=false",
                                   "rate=1 site=\"east\" wet=true", "rate=1 site=\"east\" wet=false"});
  options.vary = {{"a", "1..2"}, {"b", "[10, 20, 30]"}, {"c", "[5, 6]"}};
  options.together = {{"a", "c"}};
  CHECK(cases_of(options) == Names{"a=1 c=5 b=10", "a=1 c=5 b=20", "a=1 c=5 b=30", "a=2 c=6 b=10",
                                   "a=2 c=6 b=20", "a=2 c=6 b=30"});
  // Numbers that float64 does not hold name their type.
  options = {};
  options.vary = {{"k", "[int64(9007199254740993), 9007199254740992]"}, {"f", "float32([0.1, 0.5])"}};
  options.together = {{"k", "f"}};
  CHECK(cases_of(options) == Names{"k=int64(9007199254740993) f=float32(0.1)", "k=9007199254740992 f=0.5"});
  options = {};
  options.vary = {{"k", "int64([-9223372036854775807, 9223372036854775807]) - int64([1, 0])"}};
  CHECK(cases_of(options) == Names{"k=int64(-9223372036854775808)", "k=int64(9223372036854775807)"});
  options.vary = {{"k", "[9007199254740993, 1]"}};
  MemoryHost host;
  const auto warnings = Design(host, options).warnings();
  REQUIRE(warnings.size() == 1);
  CHECK(warnings[0].message ==
        "--vary k: 9007199254740993 has more digits than float64 holds and is rounded to 9007199254740992");
  options = {};
  options.vary = {{"n", "7"}};
  CHECK(cases_of(options) == Names{"n=7"});
}

TEST_CASE("each row of a table is a case, also combined with others") {
  MemoryHost host;
  host.files["cases.csv"] = "rate,site\n0.1,north\n0.25,\"the \"\"old\"\" pier\"\n";
  DesignOptions options;
  options.table = "cases.csv";
  CHECK(cases_of(options, host) ==
        Names{"rate=0.1 site=\"north\"", "rate=0.25 site=\"the \\\"old\\\" pier\""});
  options.vary = {{"n", "[1, 2]"}};
  CHECK(cases_of(options, host).size() == 4);
  host.files["cases.csv"] = "rate\n";
  CHECK(error_of(options, host) == "cases.csv is not a table with rows");
}

TEST_CASE("a sample has one case in each interval of every input") {
  for (const std::string sampling : {"latin", "sobol"}) {
    DesignOptions options;
    options.vary = {{"rate", "[-2, 3]"}, {"n", "1..10"}, {"site", "[\"a\", \"b\", \"c\", \"d\"]"}};
    options.samples = 64;
    options.sampling = sampling;
    MemoryHost host;
    const Design design(host, options);
    REQUIRE(design.count() == 64);
    std::set<int> intervals;
    std::map<std::string, int> sites, numbers;
    for (Index k = 1; k <= 64; ++k) {
      const auto one = design.at(k);
      const double rate = std::stod(one.inputs[0].second);
      CHECK((rate >= -2 && rate <= 3));
      intervals.insert(static_cast<int>((rate + 2) / 5 * 64));
      ++numbers[one.inputs[1].second];
      ++sites[one.inputs[2].second];
    }
    CHECK(intervals.size() >=
          (sampling == "latin" ? 64 : 60));  // bits that are added move points to the next one
    CHECK(sites.size() == 4);
    for (const auto& [site, count] : sites) CHECK(count == 16);
    for (const auto& [n, count] : numbers) CHECK((count >= 5 && count <= 8));
    // The same seed gives the same cases.
    CHECK(cases_of(options) == cases_of(options));
    auto other = options;
    other.seed = 2;
    CHECK(cases_of(options) != cases_of(other));
  }
}

TEST_CASE("repeats have seeds of their own, which a table holds exactly") {
  DesignOptions options;
  options.vary = {{"rate", "[1, 2]"}};
  options.repeats = 500;
  MemoryHost host;
  const Design design(host, options);
  REQUIRE(design.count() == 1000);
  std::set<std::uint64_t> seeds;
  for (Index k = 1; k <= design.count(); ++k) {
    seeds.insert(design.at(k).seed);
    CHECK(design.at(k).seed <= (std::uint64_t{1} << 53));
    CHECK(design.repeat_of(k) == (k - 1) % 500 + 1);
  }
  CHECK(seeds.size() == 1000);
  CHECK(text_of(design.at(500)) == "rate=1");
  CHECK(text_of(design.at(501)) == "rate=2");
}

TEST_CASE("a design that cannot be run is an error") {
  const auto error = [](NamedTexts vary, std::vector<Names> together = {}, Index samples = 0) {
    DesignOptions options;
    options.vary = std::move(vary);
    options.together = std::move(together);
    options.samples = samples;
    return error_of(options);
  };
  CHECK(error({}) == "the study has no input to vary");
  CHECK(error({}, {}, 5) == "--sample needs inputs to vary");
  CHECK(error({{"a", "[1, 2]"}, {"a", "3"}}) == "the input a varies twice");
  CHECK(error({{"a", "[1, 2]"}, {"b", "[1, 2, 3]"}}, {{"a", "b"}}) ==
        "--together: a has 2 values and b has 3");
  CHECK(error({{"a", "[1, 2]"}}, {{"a", "b"}}) == "--together names b, which does not vary");
  CHECK(error({{"a", "fn(x) = x"}}) ==
        "--vary a=fn(x) = x does not give a list of numbers, booleans or texts");
  CHECK(error({{"a", "zeros(2, 2)"}}) ==
        "--vary a=zeros(2, 2) does not give a list of numbers, booleans or texts");
  CHECK(error({{"a", "nothing"}}) == "unknown name `nothing`");
  CHECK(error({{"a", "1..100000"}, {"b", "1..100000"}}) == "the study has more than 100 000 000 cases");
}
