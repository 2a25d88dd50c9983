// What a layer cannot show is counted: against a count made here.
#include "figure/left_out.h"

#include <random>

#include "laid_out.h"

using namespace quill;
using namespace quill::test;

namespace {

Layer points_of(Layer::Kind kind, std::vector<double> x, std::vector<double> y) {
  Layer l;
  l.kind = kind;
  l.x = std::move(x);
  l.y = std::move(y);
  return l;
}

std::size_t count_in(const std::vector<std::string>& told, const std::string& reason) {
  for (const auto& sentence : told)
    if (sentence.find(reason) != std::string::npos) return std::stoul(sentence);
  return 0;
}

}  // namespace

TEST_CASE("points that are infinite, and points without a place on logarithmic axes, are counted") {
  std::mt19937 random(7);
  for (int round = 0; round < 300; ++round) {
    const bool log_x = random() % 2 == 0, log_y = random() % 2 == 0;
    std::vector<double> x, y;
    std::size_t infinite = 0, below = 0;
    const auto value = [&] {
      switch (random() % 6) {
        case 0: return -1.0;
        case 1: return 0.0;
        case 2: return static_cast<double>(INFINITY);
        case 3: return std::nan("");
        default: return 3.0;
      }
    };
    for (int k = 0; k < 20; ++k) {
      x.push_back(value());
      y.push_back(value());
      if (std::isnan(x.back()) || std::isnan(y.back())) continue;
      if (std::isinf(x.back()) || std::isinf(y.back()))
        ++infinite;
      else if ((log_x && x.back() <= 0) || (log_y && y.back() <= 0))
        ++below;
    }
    const auto scale = [](bool is_log) { return is_log ? ScaleKind::log : ScaleKind::linear; };
    for (const auto kind : {Layer::Kind::line, Layer::Kind::scatter, Layer::Kind::stems}) {
      const auto told = left_out_of(points_of(kind, x, y), {scale(log_x), scale(log_y)});
      CHECK(count_in(told, "infinite") == infinite);
      CHECK(count_in(told, "logarithmic") == below);
    }
  }
}

TEST_CASE("bars, bands and fields say what they leave out, and what they can show is not reported") {
  Layer bars;
  bars.kind = Layer::Kind::boxes;
  bars.left = {0.6, 1.6, 2.6, 3.6};
  bars.right = {1.4, 2.4, 3.4, 4.4};
  bars.low = {0, 0, 0, 0};
  bars.high = {3, 0, -2, INFINITY};
  const auto told = left_out_of(bars, {ScaleKind::linear, ScaleKind::log});
  REQUIRE(told.size() == 2);
  CHECK(told[0] == "1 bar is not drawn: it is infinite");
  CHECK(told[1] == "2 bars are not drawn: they are 0 or negative, and the axis is logarithmic");
  bars.high = {3, 1, 2, std::nan("")};
  CHECK(left_out_of(bars, {ScaleKind::linear, ScaleKind::log}).empty());
  Layer area;
  area.kind = Layer::Kind::region;
  area.label = "inflow";
  area.x = {1, 2, 3};
  area.low = {0, 0, 0};
  area.high = {1, 2, -1};
  CHECK(left_out_of(area, {ScaleKind::linear, ScaleKind::log}) ==
        std::vector<std::string>{
            "1 point of a band (\"inflow\") is not drawn: it is 0 or negative, and the axis is logarithmic"});
  Layer field;
  field.kind = Layer::Kind::heatmap;
  field.x = field.y = {0, 1, 2};
  field.z = {1, INFINITY, -INFINITY, std::nan("")};
  CHECK(left_out_of(field, {}) ==
        std::vector<std::string>{"2 values of a heatmap are not drawn: they are infinite"});
}

TEST_CASE("notes and guides outside the limits are reported, and not drawn") {
  Panel p;
  p.layers = {points_of(Layer::Kind::line, {0, 1}, {0, 1})};
  p.x.limits = p.y.limits = Limits{0, 1};
  p.notes.resize(3);
  p.notes[0].text = "inside";
  p.notes[0].x = p.notes[0].y = 0.5;
  p.notes[1].text = "far";
  p.notes[1].x = 9;
  p.notes[2].text = "nowhere";
  p.notes[2].x = std::nan("");
  p.guides.resize(1);
  p.guides[0].is_vertical = true;
  p.guides[0].at = 4;
  const auto list = laid(p);
  CHECK(list.warnings ==
        std::vector<std::string>{"1 guide is not drawn: it is outside the limits of the axes",
                                 "2 notes are not drawn: they are outside the limits of the axes"});
  std::vector<std::string> notes;
  for (const auto* text : all_of<DrawnText>(list))
    if (text->role == "note") notes.push_back(text->source);
  CHECK(notes == std::vector<std::string>{"inside"});
}

TEST_CASE("a point without neighbours is a dot of the line's width, and only such a point") {
  std::mt19937 random(11);
  for (int round = 0; round < 200; ++round) {
    const std::size_t n = 1 + random() % 12;
    std::vector<double> x, y;
    for (std::size_t k = 0; k < n; ++k) {
      x.push_back(static_cast<double>(k));
      y.push_back(random() % 3 == 0 ? std::nan("") : static_cast<double>(random() % 7));
    }
    std::size_t alone = 0, known = 0;
    for (std::size_t k = 0; k < n; ++k) {
      const auto gap = [&](std::size_t at) { return at >= n || std::isnan(y[at]); };
      alone += !gap(k) && gap(k - 1) && gap(k + 1);
      known += !gap(k);
    }
    if (known == 0) continue;
    const auto list = laid(points_of(Layer::Kind::line, x, y));
    std::size_t dots = 0;
    for (const auto* m : all_of<Markers>(list)) {
      dots += m->points.size();
      CHECK(m->size == Approx(1.5));
    }
    CHECK(dots == alone);
  }
}

TEST_CASE("an error bar that reaches below 0 on a logarithmic axis has no cap there") {
  Layer bars = points_of(Layer::Kind::error_bars, {1, 2}, {1, 10});
  bars.low = {-1, 9};
  bars.high = {3, 11};
  Panel p;
  p.layers = {bars};
  p.y.scale = ScaleKind::log;
  const auto list = laid(p);
  std::size_t caps = 0;
  for (const auto* path : all_of<StrokePath>(list))
    for (const auto& piece : path->pieces)
      caps += piece.size() == 2 && piece[0].y == piece[1].y && piece[1].x - piece[0].x < 5 &&
              piece[0].x > list.panels[0].area.x;
  CHECK(caps == 3);
  CHECK(list.warnings.empty());
}
