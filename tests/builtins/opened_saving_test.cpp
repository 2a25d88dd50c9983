// Opened arrays in files of text: the same bytes as of the arrays in memory.
#include <catch2/catch.hpp>

#include "support/script.h"
#include "support/small_blocks.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::string kSurvey =
    "save(\"a.nc\", (time: timestamp(\"2026-06-01\") + 3600 * (0..799), temp: random(800), wet: random(800) "
    "> 0.5, grid: random(60, 7), cube: round(random(9, 4, 11), 3), level: int32(round(100 * random(800)))), "
    "attributes: (temp: (units: \"°C\")))\n";

// The file that a call of save with `d` writes, in memory or opened.
std::string written(const std::string& open, const std::string& file, const std::string& value,
                    const std::string& options = "") {
  const auto ran =
      run(kSurvey + "d = " + open + "(\"a.nc\")\nsave(\"" + file + "\", " + value + options + ")\n");
  CAPTURE(ran.messages);
  REQUIRE(ran.ok);
  return ran.host.files.at("out/" + file);
}

}  // namespace

TEST_CASE("opened arrays are written as CSV and JSON like arrays in memory") {
  const SmallBlocks small(50, 300);
  struct Saved {
    const char *file, *value;
  };
  for (const auto& [file, value] : std::initializer_list<Saved>{
           {"b.csv", "d.temp"},
           {"b.csv", "d.temp[5..700 by 3] * 2"},
           {"b.csv", "d.level"},
           {"b.csv", "d.wet"},
           {"b.csv", "d.grid"},
           {"b.csv", "d.grid'"},
           {"b.csv", "d.grid[3..2, ..]"},
           {"b.csv", "(time: d.time, temp: d.temp, wet: d.wet, level: d.level, n: 1..800)"},
           {"b.csv", "(time: d.time[3..50], temp: pick(d.wet, d.temp, nan)[3..50])"},
           {"b.tsv", "(temp: d.temp, level: d.level)"},
           {"b.json", "d.temp"},
           {"b.json", "d.grid"},
           {"b.json", "d.cube"},
           {"b.json", "d.cube[.., 3..2, ..]"},
           {"b.json", "pick(d.wet, d.temp, nan)"},
           {"b.json", "(name: \"Velm\", temp: d.temp, all: (cube: d.cube, wet: d.wet), n: [1, 2])"},
           {"b.dat", "(temp: d.temp, level: d.level)"},
           {"b.csv.gz", "d.grid"}}) {
    CAPTURE(file, value);
    const auto expected = written("load", file, value);
    CHECK(written("open_data", file, value) == expected);
  }
}

TEST_CASE("what text files cannot contain is refused for opened arrays as for arrays in memory") {
  for (const auto& [file, value] :
       std::initializer_list<std::array<const char*, 2>>{{"b.csv", "d.cube"},
                                                         {"b.csv", "(cube: d.cube, temp: d.temp)"},
                                                         {"b.csv", "(temp: d.temp, grid: d.grid[.., 1])"},
                                                         {"b.csv", "(temp: d.temp, list: (inner: d.temp,))"},
                                                         {"b.json", "d.temp / (d.level * 0)"}}) {
    CAPTURE(file, value);
    const auto error = [&](const std::string& open) {
      const auto messages =
          error_of(kSurvey + "d = " + open + "(\"a.nc\")\nsave(\"" + file + "\", " + value + ")\n");
      return messages.substr(messages.find("error: "), messages.find("\n  test.eq"));
    };
    CHECK(error("open_data") == error("load"));
  }
}
