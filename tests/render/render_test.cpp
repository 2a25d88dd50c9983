#include "render/render.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "base/error.h"
#include "figure/layout.h"
#include "png.h"

using namespace quill;
using namespace quill::test;

namespace {

Figure sample() {
  Figure f;
  f.name = "sample";
  f.width = 120;
  f.height = 80;
  Panel p;
  Layer line;
  for (int k = 0; k <= 50; ++k) {
    line.x.push_back(k * 0.1);
    line.y.push_back(std::sin(k * 0.1));
  }
  line.color = Color{1, 0, 0, 1};
  line.label = "sine of $\\phi$";
  p.layers = {line};
  p.x.title = "angle $\\phi$ (rad)";
  p.legend = LegendPlace::bottom_left;
  f.panels = {p};
  return f;
}

}  // namespace

TEST_CASE("the same figure gives the same bytes in every format") {
  auto measurer = make_text_measurer();
  const auto list = lay_out(sample(), *measurer);
  auto other_measurer = make_text_measurer();
  const auto again = lay_out(sample(), *other_measurer);
  CHECK(dump(list) == dump(again));
  for (const std::string format : {"png", "svg", "pdf"}) {
    CAPTURE(format);
    const auto bytes = render(list, format, 150);
    CHECK(bytes.size() > 1000);
    CHECK(bytes == render(again, format, 150));
  }
  CHECK(render(list, "pdf", 150).starts_with("%PDF"));
  CHECK(render(list, "svg", 150).find("<svg") != std::string::npos);
}

TEST_CASE("a picture has its size and ink where the data is") {
  auto measurer = make_text_measurer();
  const auto list = lay_out(sample(), *measurer);
  const double dpi = 200;
  const auto picture = read_png(render(list, "png", dpi));
  CHECK(picture.width == std::lround(120 / 25.4 * dpi));
  CHECK(picture.height == std::lround(80 / 25.4 * dpi));
  const auto& panel = list.panels.at(0);
  for (double x = 0.2; x < 4.9; x += 0.3) {
    const double px =
        (panel.area.x + (x - panel.x.low) / (panel.x.high - panel.x.low) * panel.area.width) * dpi / 72;
    const double py = (panel.area.bottom() -
                       (std::sin(x) - panel.y.low) / (panel.y.high - panel.y.low) * panel.area.height) *
                      dpi / 72;
    CAPTURE(x, px, py);
    CHECK(picture.is_red(static_cast<int>(px), static_cast<int>(py)));
    // And paper a little above it.
    CHECK_FALSE(picture.is_red(static_cast<int>(px), static_cast<int>(py) - 12));
  }
}

TEST_CASE("texts are measured in proportion to their size") {
  auto measurer = make_text_measurer();
  const auto small = measurer->measure("temperature", {8}), large = measurer->measure("temperature", {16});
  CHECK(large.width == Approx(2 * small.width).epsilon(0.01));
  CHECK(small.ascent > 0);
  CHECK(small.descent > 0);
  CHECK(measurer->measure("", {8}).width == 0);
  CHECK(measurer->measure("11", {8}).width == Approx(measurer->measure("48", {8}).width));
}

TEST_CASE("pictures without a size are refused") {
  DisplayList list;
  CHECK_THROWS_AS(render(list, "png", 100), Error);
  list.width = list.height = 1e6;
  CHECK_THROWS_AS(render(list, "png", 100), Error);
}

TEST_CASE("a PNG says how large it is meant to be") {
  auto measurer = make_text_measurer();
  const auto bytes = render(lay_out(sample(), *measurer), "png", 300);
  const auto at = bytes.find("pHYs");
  REQUIRE(at == 8 + 25 + 4);
  const auto number = [&](std::size_t i) {
    unsigned out = 0;
    for (std::size_t k = 0; k < 4; ++k) out = out << 8 | static_cast<unsigned char>(bytes[i + k]);
    return out;
  };
  CHECK(number(at + 4) == 11811);  // dots per metre
  CHECK(number(at + 8) == 11811);
  CHECK(bytes[at + 12] == 1);
  CHECK_NOTHROW(read_png(bytes));
}

TEST_CASE("many pieces are painted to the pixel, the last over the others, with smooth outer edges") {
  DisplayList list;
  list.width = list.height = 72;
  list.paper = {1, 1, 1};
  Quads quads;
  // Stripes over a square whose left half is covered once more.
  for (int k = 0; k < 3000; ++k) {
    const double y = 10 + k * 50.0 / 3000, below = y + 50.0 / 3000;
    quads.corners.push_back({Point{10.5, y}, Point{60, y}, Point{60, below}, Point{10.5, below}});
    quads.colors.push_back({1, 0, 0});
  }
  quads.corners.push_back({Point{10.5, 10}, Point{35, 10}, Point{35, 60}, Point{10.5, 60}});
  quads.colors.push_back({0, 0, 1});
  list.items.emplace_back(quads);
  const auto picture = read_png(render(list, "png", 72));
  for (int y = 12; y < 58; ++y) {
    CHECK(picture.is_red(50, y));
    CHECK(picture.at(20, y)[2] == 255);
    CHECK(picture.at(20, y)[0] == 0);
    // Half of the pixel at the left edge is covered: a mixture of paper and blue.
    CHECK(picture.at(10, y)[0] > 60);
    CHECK(picture.at(10, y)[0] < 200);
    CHECK(picture.at(9, y)[0] == 255);
  }
}

TEST_CASE("very many markers look as few of them do") {
  const bool colored = GENERATE(false, true);
  for (const auto shape : {Marker::disc, Marker::ring, Marker::plus}) {
    DisplayList few;
    few.width = few.height = 72;
    few.paper = {1, 1, 1};
    Markers markers{{}, shape, 6, {0.8, 0.1, 0.1, 0.6}, {1, 1, 0.5}, {}};
    // Far enough apart that each stands alone, at every place within a pixel.
    const auto add = [&](Point at, double share) {
      markers.points.push_back(at);
      if (colored) markers.colors.push_back({share, 0.1, 1 - share, 0.4 + share / 2});
    };
    for (int k = 0; k < 30; ++k) add({8 + 11.3 * (k % 6), 8 + 11.7 * (k / 6)}, k / 30.0);
    auto many = few;
    few.items.emplace_back(ClipTo{{0, 0, 60, 72}});
    few.items.emplace_back(markers);
    few.items.emplace_back(Unclip{});
    // The others lie outside of the clip.
    for (int k = 0; k < 4000; ++k) add({70, 70}, 1);
    many.items.emplace_back(ClipTo{{0, 0, 60, 72}});
    many.items.emplace_back(markers);
    many.items.emplace_back(Unclip{});
    const auto one = read_png(render(few, "png", 216)), two = read_png(render(many, "png", 216));
    double largest = 0, sum = 0;
    for (std::size_t i = 0; i < one.rgb.size(); ++i) {
      const double off = std::abs(one.rgb[i] - two.rgb[i]);
      largest = std::max(largest, off);
      sum += off;
    }
    CAPTURE(static_cast<int>(shape));
    CHECK(sum / static_cast<double>(one.rgb.size()) < 1.5);
    CHECK(largest < 120);  // an edge that is off by an eighth of a pixel
    CHECK_FALSE(two.is_red(66 * 3, 66 * 3));
    CHECK(render(many, "png", 216).find("pHYs") != std::string::npos);
  }
}
