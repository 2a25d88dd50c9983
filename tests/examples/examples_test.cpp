// Every example runs, and its numbers are found again by another route.
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>

#include "files/csv.h"
#include "support/program.h"

using namespace quill;
using namespace quill::test;

namespace {

const std::string kExamples = std::string(QUILL_SOURCE_DIR) + "/examples/";

Result run_example(const std::string& name, const TemporaryFolder& folder) {
  auto r = run_program(QUILL_PROGRAM, {"run", kExamples + name, "--out", folder.path()});
  CAPTURE(name, r.err);
  CHECK(r.status == 0);
  CHECK(r.err.find("error") == std::string::npos);
  CHECK(r.err.find("warning") == std::string::npos);
  return r;
}

std::vector<double> column(const std::string& text, std::size_t k) {
  return read_csv(text, "t").at(k).values.to_vector<double>();
}

bool holds(const Result& r, const std::string& line) { return r.out.find(line + "\n") != std::string::npos; }

}  // namespace

TEST_CASE("every example runs") {
  int count = 0;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(kExamples)) {
    if (entry.path().extension() != ".eq") continue;
    const TemporaryFolder folder;
    run_example(std::filesystem::relative(entry.path(), kExamples).string(), folder);
    ++count;
  }
  CHECK(count >= 8);
}

TEST_CASE("the survey's data is what its script makes") {
  const TemporaryFolder folder;
  run_example("lake/make_data.eq", folder);
  for (const char* name : {"soundings.csv", "thermistors.csv", "inflow.csv", "dye.csv"})
    CHECK(folder.read(name) == read_text(kExamples + "lake/" + name));
}

TEST_CASE("volume: the heat of the lake by plain loops") {
  const TemporaryFolder folder;
  const auto r = run_example("lake/volume.eq", folder);
  CHECK(folder.has("volume.png"));
  // The volume by sums over the same grid.
  const auto cast = read_text(kExamples + "lake/soundings.csv");
  const auto east = column(cast, 0), north = column(cast, 1), depth = column(cast, 2);
  double volume = 0, deepest = 0;
  int cells = 0;
  for (int j = 0; j <= 80; ++j)
    for (int i = 0; i <= 120; ++i) {
      const double x = 20.0 * i, y = 20.0 * j;
      if (std::pow((x - 1180) / 1120, 2) + std::pow((y - 800) / 720, 2) > 1) continue;
      double top = 0, bottom = 0;
      for (std::size_t k = 0; k < depth.size(); ++k) {
        const double w = 1 / std::pow(std::pow(x - east[k], 2) + std::pow(y - north[k], 2) + 25, 2);
        top += w * depth[k];
        bottom += w;
      }
      const double edge = (i == 0 || i == 120 ? 0.5 : 1) * (j == 0 || j == 80 ? 0.5 : 1);
      volume += edge * top / bottom * 400;
      deepest = std::max(deepest, top / bottom);
      ++cells;
    }
  char line[200];
  std::snprintf(line, sizeof line, "volume %.2f million m³, area %.2f km², deepest %.1f m, mean %.1f m",
                volume / 1e6, cells * 400 / 1e6, deepest, volume / (cells * 400.0));
  CAPTURE(r.out, line);
  CHECK(holds(r, line));
  CHECK(holds(r, "1 of 14 thermistors failed, at [14] m"));
  // Temperatures at the points of the table are the table's.
  const auto august = folder.read("august.csv");
  const auto level = column(august, 0), temperature = column(august, 1);
  const auto chain = read_text(kExamples + "lake/thermistors.csv");
  const auto z = column(chain, 0), t = column(chain, 2);
  int found = 0;
  for (std::size_t k = 0; k < z.size(); ++k)
    for (std::size_t i = 0; i < level.size(); ++i)
      if (std::fabs(level[i] - z[k]) < 1e-9 && std::isfinite(t[k])) {
        CHECK(temperature[i] == Approx(t[k]).epsilon(1e-9));
        ++found;
      }
  CHECK(found == 13);
}

TEST_CASE("structures") {
  const TemporaryFolder folder;
  const auto r = run_example("structures.eq", folder);
  for (const char* line :
       {"float64 bool text complex128", "the slice keeps 12.1, the chain has 99", "buoy 3 at 41.5 m",
        "a changed copy lies at 42 m, the old one at 41.5 m",
        "4 keys: [\"june\", \"august\", \"october\", \"december\"]", "through the alias: [21.4, 12.0, 5.0]",
        "first 5, last 21.4, the rest is not wanted", "mean of the layers [2, 5]"})
    CHECK(holds(r, line));
}

TEST_CASE("shapes") {
  const TemporaryFolder folder;
  const auto r = run_example("shapes.eq", folder);
  for (const char* line : {"8×6 holds what 6×8 held: true", "[24, 2] and [48]",
                           "one offset a row: row sums grow by [8, 16, 24, 32, 40, 48]",
                           "7×7 table: corner 49, diagonal [1, 4, 9, 16, 25, 36, 49]"})
    CHECK(holds(r, line));
}

TEST_CASE("selecting") {
  const TemporaryFolder folder;
  const auto r = run_example("selecting.eq", folder);
  CHECK(r.out.find("third 2.191, last ") != std::string::npos);
  const auto inflow = column(read_text(kExamples + "lake/inflow.csv"), 1);
  int flood = 0;
  for (const double q : inflow) flood += q > 5;
  CHECK(holds(r, std::to_string(flood) + " half-days of flood"));
  CHECK(holds(r, "row 2 is [5, 6, 7, 8], the block is [6, 7 | 10, 11]"));
}

TEST_CASE("arithmetic") {
  const TemporaryFolder folder;
  const auto r = run_example("arithmetic.eq", folder);
  for (const char* line : {"loops and arrays agree: true", "above the limit: [1, 1, 0, 5] a depth, 7 in all",
                           "scaled: [0.5, 1, 1.5]"})
    CHECK(holds(r, line));
}

TEST_CASE("a densified profile and its interpolating function") {
  const TemporaryFolder folder;
  const auto r = run_example("densify.eq", folder);
  CHECK(folder.has("densify.png"));
  const auto dense = folder.read("track.csv");
  const auto x = column(dense, 0), y = column(dense, 1);
  REQUIRE(x.size() == 25);
  CHECK(x.front() == 0);
  CHECK(x.back() == 1200);
  for (std::size_t k = 1; k < x.size(); ++k) CHECK(x[k] - x[k - 1] == Approx(50));
  CHECK(y.at(8) == Approx(30));  // a given point
  CHECK(holds(r, "half way down the first slope: 15.00 m"));
}

TEST_CASE("a curve through scattered samples closes the gap") {
  const TemporaryFolder folder;
  const auto r = run_example("smooth_curve.eq", folder);
  CHECK(folder.has("smooth-curve.png"));
  CHECK(folder.has("smooth-curve.pdf"));
  // The errors printed fall about as h^4.
  const auto rows = column(folder.read("gap.csv"), 1);
  REQUIRE(rows.size() == 3);
  CHECK(rows[0] > 4 * rows[1]);
  CHECK(rows[1] > 8 * rows[2]);
}
