// What bars cover: each part its own value, and none another one.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cmath>
#include <random>

#include "support/program.h"
#include "support/script.h"
#include "support/svg.h"
#include "support/watched.h"

using namespace quill;
using namespace quill::test;

namespace {

WatchedFigure drawn(const std::string& script) {
  const TemporaryFolder folder;
  folder.write("bars.eq", script);
  return figures_of(folder.path() + "/bars.eq").at(0);
}

}  // namespace

TEST_CASE("stacked bars of both signs stand and hang on the base without covering each other") {
  std::mt19937 random(28);
  for (int round = 0; round < 20; ++round) {
    const int rows = 2 + static_cast<int>(random() % 3), parts = 2 + static_cast<int>(random() % 4);
    std::vector<std::vector<double>> values(static_cast<std::size_t>(rows));
    std::string matrix = "[", positions = "[";
    for (int r = 0; r < rows; ++r) {
      positions += (r ? ", " : "") + std::to_string(r + 1);
      for (int c = 0; c < parts; ++c) {
        values[static_cast<std::size_t>(r)].push_back(static_cast<double>(random() % 21) - 10);
        matrix += (c   ? ", "
                   : r ? " | "
                       : "") +
                  std::to_string(static_cast<int>(values[static_cast<std::size_t>(r)].back()));
      }
    }
    const auto seen = drawn("figure(\"s\") { bars(" + positions + "], " + matrix + "], stacked: true) }");
    const auto& layers = seen.figure.panels.at(0).layers;
    REQUIRE(layers.size() == static_cast<std::size_t>(parts));
    for (std::size_t r = 0; r < values.size(); ++r) {
      double up = 0, down = 0;
      for (std::size_t c = 0; c < layers.size(); ++c) {
        const double v = values[r][c];
        double& end = v < 0 ? down : up;
        CHECK(layers[c].low[r] == end);
        CHECK(layers[c].high[r] - layers[c].low[r] == v);
        end += v;
      }
    }
  }
}

TEST_CASE("a bar without a value keeps its place and its name") {
  for (const std::string lying : {"", ", lying: true"}) {
    CAPTURE(lying);
    const auto seen = drawn("figure(\"n\") { bars([\"a\", \"b\", \"c\"], [1, 2, nan]" + lying + ") }");
    const auto texts = read_svg(seen.svg).texts;
    CHECK(std::any_of(texts.begin(), texts.end(), [](const SvgText& t) { return t.text == "c"; }));
    const auto& axis = lying.empty() ? seen.list.panels.at(0).x : seen.list.panels.at(0).y;
    CHECK(axis.high > 3);
  }
}

TEST_CASE("two bars at one position are refused") {
  CHECK(error_of("figure(\"d\") { bars([1, 1, 2], [3, 5, 2]) }").find("duplicate position: 1") !=
        std::string::npos);
  CHECK(run("figure(\"d\") { bars([2, 1, 3], [3, 5, 2]); bars([1, 2, 3], [1, 1, 1]) }").ok);
}
