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

TEST_CASE("calls of bars with names stand where one call with a matrix has them, in any order of names") {
  std::mt19937 random(281);
  for (int round = 0; round < 40; ++round) {
    const int calls = 2 + static_cast<int>(random() % 3), count = 2 + static_cast<int>(random() % 4);
    std::vector<std::string> names;
    for (int k = 0; k < count; ++k) names.push_back(std::string("n") + static_cast<char>('a' + k));
    const bool lying = random() % 2 == 0;
    const std::string end = lying ? ", lying: true)\n" : ")\n";
    // values[c][k] of the call c at the name k; the calls after the first one list the names shuffled.
    std::vector<std::vector<int>> values(static_cast<std::size_t>(calls));
    std::string apart, matrix = "[", listed = "[";
    for (int k = 0; k < count; ++k) listed += (k ? ", \"" : "\"") + names[static_cast<std::size_t>(k)] + "\"";
    for (auto& row : values) {
      for (int k = 0; k < count; ++k) row.push_back(static_cast<int>(random() % 19) - 9);
      std::vector<std::size_t> order(static_cast<std::size_t>(count));
      for (std::size_t k = 0; k < order.size(); ++k) order[k] = k;
      if (&row != values.data()) std::shuffle(order.begin(), order.end(), random);
      std::string x = "[", y = "[";
      for (const auto k : order) {
        x += (k == order[0] ? "\"" : ", \"") + names[k] + "\"";
        y += (k == order[0] ? "" : ", ") + std::to_string(row[k]);
      }
      apart += "bars(" + x + "], " + y + "]" + end;
    }
    for (std::size_t k = 0; k < static_cast<std::size_t>(count); ++k)
      for (std::size_t c = 0; c < values.size(); ++c)
        matrix += (c ? ", " : k ? " | " : "") + std::to_string(values[c][k]);
    const auto one = drawn("figure(\"m\") { bars(" + listed + "], " + matrix + "]" + end + " }");
    const auto many = drawn("figure(\"m\") {\n" + apart + "}");
    const auto &want = one.figure.panels.at(0).layers, &got = many.figure.panels.at(0).layers;
    REQUIRE(want.size() == got.size());
    for (std::size_t c = 0; c < got.size(); ++c)
      for (std::size_t k = 0; k < got[c].left.size(); ++k) {
        const auto at = static_cast<std::size_t>(got[c].x[k]) - 1;
        CHECK(got[c].left[k] == Approx(want[c].left[at]));
        CHECK(got[c].right[k] == Approx(want[c].right[at]));
        CHECK(got[c].low[k] == Approx(want[c].low[at]));
        CHECK(got[c].high[k] == Approx(want[c].high[at]));
      }
  }
}

TEST_CASE("a name that comes later has a place, and linked panels share one list") {
  const auto texts = [](const WatchedFigure& seen) {
    std::vector<std::string> out;
    for (const auto& t : read_svg(seen.svg).texts) out.push_back(t.text);
    return out;
  };
  const auto has = [](const std::vector<std::string>& all, const std::string& one) {
    return std::find(all.begin(), all.end(), one) != all.end();
  };
  const auto seen = drawn(
      "figure(\"n\") {\n bars([\"inflow\", \"harbour\"], [3, 5])\n scatter([\"basin\", \"inflow\"], [2, "
      "4])\n}");
  for (const auto* name : {"inflow", "harbour", "basin"}) CHECK(has(texts(seen), name));
  CHECK(seen.figure.panels[0].layers[1].x == std::vector<double>{3, 1});
  const auto linked = drawn(
      "figure(\"l\", rows: 2, link_x: \"columns\") {\n panel(1, 1) { bars([\"inflow\", \"harbour\"], [3, 5]) "
      "}\n"
      " panel(2, 1) { line([\"harbour\", \"basin\", \"inflow\"], [1, 2, 3]) }\n}");
  CHECK(linked.figure.panels[1].layers[0].x == std::vector<double>{2, 3, 1});
  CHECK(linked.list.panels[0].x.high > 3);
  // Ticks that were asked for stay.
  const auto asked = drawn(
      "figure(\"a\") {\n x_axis(ticks: [1, 2], tick_labels: [\"one\", \"two\"])\n bars([\"inflow\", "
      "\"harbour\"], "
      "[3, 5])\n}");
  CHECK(has(texts(asked), "one"));
  CHECK(!has(texts(asked), "inflow"));
}

TEST_CASE("bars of calls without a common position, and overlaid ones, have the whole width") {
  const auto width = [](const Layer& layer) { return layer.right[0] - layer.left[0]; };
  const auto apart = drawn("figure(\"a\") { bars([1, 2, 4], [1, 2, 3]); bars([3], [4]) }");
  for (const auto& layer : apart.figure.panels[0].layers) CHECK(width(layer) == Approx(0.8));
  const auto over = drawn(
      "figure(\"o\") { bars([1, 2, 4], [1, 2, 3]); bars([1, 2, 4], [1, 1, 1], overlaid: true, share: 0.4) }");
  CHECK(width(over.figure.panels[0].layers[0]) == Approx(0.8));
  CHECK(width(over.figure.panels[0].layers[1]) == Approx(0.4));
  const auto beside = drawn("figure(\"b\") { bars([1, 2], [1, 2]); bars([2, 3], [1, 1]) }");
  const auto& layers = beside.figure.panels[0].layers;
  CHECK(layers[0].right[1] == Approx(layers[1].left[0]));
  CHECK(width(layers[0]) == Approx(0.4));
}

TEST_CASE("a cell of a heatmap stands at its names") {
  const auto seen = drawn(
      "figure(\"h\") { heatmap([\"june\", \"july\"], [\"inflow\", \"harbour\", \"basin\"], [1, 2 | 3, 4 | 5, "
      "6]) }");
  const auto& layer = seen.figure.panels[0].layers[0];
  CHECK(layer.x == std::vector<double>{0.5, 1.5, 2.5});
  CHECK(layer.y == std::vector<double>{0.5, 1.5, 2.5, 3.5});
  CHECK(seen.figure.panels[0].y.tick_labels == std::vector<std::string>{"inflow", "harbour", "basin"});
}
