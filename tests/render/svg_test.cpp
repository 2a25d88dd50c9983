// SVG: shapes at their numbers, text as text, fonts and pictures inside.
#include <catch2/catch.hpp>
#include <cmath>

#include "render/render.h"
#include "support/svg.h"

using namespace quill;
using namespace quill::test;

namespace {

DisplayList page() {
  DisplayList list;
  list.width = 200;
  list.height = 100;
  list.paper = {1, 1, 1};
  return list;
}

DrawnText text_at(const std::string& source, double x, double y, bool bold = false) {
  auto measurer = make_text_measurer();
  DrawnText t;
  t.at = {x, y};
  t.line = lay_text(source, {10, bold}, *measurer);
  t.color = {0.2, 0.2, 0.2};
  return t;
}

}  // namespace

TEST_CASE("strokes, fills and markers keep their places and colours") {
  auto list = page();
  list.items.emplace_back(
      StrokePath{{{{10, 20}, {30.126, 40}}, {{50, 60}, {70, 80}}}, {1, 0, 0}, 1.5, Dash::dashed});
  list.items.emplace_back(FillPath{{{{0, 0}, {10, 0}, {10, 10}}}, {0, 0, 1, 0.5}});
  list.items.emplace_back(Markers{{{15, 25}, {35, 45}}, Marker::ring, 6, {0, 0.5, 0}, {1, 1, 1}, {}});
  list.items.emplace_back(Markers{{{1, 2}}, Marker::disc, 6, {0, 0.5, 0}, {1, 1, 1}, {}});
  const auto svg = render(list, "svg", 0);
  const auto seen = read_svg(svg);
  CHECK(seen.width == 200);
  CHECK(svg.find("width=\"70.56mm\"") != std::string::npos);
  REQUIRE(seen.paths.size() == 2);
  CHECK(seen.paths[0].stroke == "#ff0000");
  REQUIRE(seen.paths[0].pieces.size() == 2);
  CHECK(seen.paths[0].pieces[0][1].x == Approx(30.13));
  CHECK(seen.paths[1].fill == "#0000ff");
  CHECK(svg.find("stroke-dasharray=\"6.75 3.9\"") != std::string::npos);
  CHECK(svg.find("fill-opacity=\"0.5\"") != std::string::npos);
  REQUIRE(seen.markers.size() == 2);
  CHECK(seen.markers[0].stroke == "#008000");
  REQUIRE(seen.markers[0].points.size() == 2);
  CHECK(seen.markers[0].points[1].y == 45);
  CHECK(seen.markers[1].fill == "#008000");
}

TEST_CASE("text stays text, formulas too, and brings the letters of its fonts") {
  auto list = page();
  list.items.emplace_back(text_at("level <m> & \"time\"", 20, 30));
  list.items.emplace_back(text_at("rate $\\lambda_0 = \\frac{1}{2}$", 20, 60));
  auto turned = text_at("turned", 50, 90);
  turned.angle = std::acos(-1.0) / 2;
  list.items.emplace_back(turned);
  const auto svg = render(list, "svg", 0);
  const auto seen = read_svg(svg);
  REQUIRE(seen.texts.size() == 3);
  CHECK(seen.texts[0].text == "level <m> & \"time\"");
  CHECK(seen.texts[0].x == 20);
  CHECK(seen.texts[0].y == 30);
  CHECK(seen.texts[1].text == "rate λ0=12");
  CHECK(seen.texts[2].angle == -90);
  CHECK(svg.find("font-family:'Inter'") != std::string::npos);
  CHECK(svg.find("@font-face{font-family:'TeX Gyre Pagella Math'") != std::string::npos);
  // The few letters that are used, not the fonts.
  CHECK(svg.size() < 60000);
  // Bold letters are another face.
  auto bold = page();
  bold.items.emplace_back(text_at("level", 20, 30, true));
  CHECK(render(bold, "svg", 0).find("font-weight:600") != std::string::npos);
}

TEST_CASE("cells of a matrix and very many pieces are pictures inside of the file") {
  auto list = page();
  quill::Picture picture{{10, 10, 80, 40}, 2, 2, {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0, 0, 0, 0}}};
  list.items.emplace_back(picture);
  Quads few, many;
  for (int k = 0; k < 6000; ++k) {
    const double x = 100 + (k % 80), y = 10 + k / 80;
    many.corners.push_back({Point{x, y}, Point{x + 1, y}, Point{x + 1, y + 1}, Point{x, y + 1}});
    many.colors.push_back({0, 0.5, 0});
    if (k < 10) {
      few.corners.push_back(many.corners.back());
      few.colors.push_back(many.colors.back());
    }
  }
  list.items.emplace_back(few);
  list.items.emplace_back(many);
  const auto seen = read_svg(render(list, "svg", 0));
  REQUIRE(seen.images.size() == 2);
  CHECK(seen.images[0].at.x == 10);
  CHECK(seen.images[0].at.width == 80);
  CHECK(seen.images[1].at.x == Approx(100).margin(0.3));
  CHECK(seen.images[1].at.right() == Approx(180).margin(0.3));
  CHECK(seen.paths.size() == 10);
}

TEST_CASE("clips nest as groups, equal ones are defined once") {
  auto list = page();
  for (int k = 0; k < 3; ++k) {
    list.items.emplace_back(ClipTo{{10, 10, 50, 50}});
    list.items.emplace_back(FillRect{{0, 0, 100, 100}, {0, 0, 0}});
    list.items.emplace_back(Unclip{});
  }
  const auto svg = render(list, "svg", 0);
  read_svg(svg);
  CHECK(svg.find("<clipPath", svg.find("<clipPath") + 1) == std::string::npos);
}
