// A legend stands over no data, wherever there is room for it.
#include "figure/ink.h"

#include <random>
#include <set>

#include "laid_out.h"

using namespace quill;
using namespace quill::test;

namespace {

// Whether a segment runs through a box: by points along it.
bool runs_through(Point a, Point b, const Rect& box) {
  for (int k = 0; k <= 400; ++k) {
    const double x = a.x + (b.x - a.x) * k / 400, y = a.y + (b.y - a.y) * k / 400;
    if (x > box.x && x < box.right() && y > box.y && y < box.bottom()) return true;
  }
  return false;
}

// The ground of the legend, when it stands within the panel.
std::optional<Rect> legend_of(const DisplayList& list) {
  for (const auto& item : list.items)
    if (item.owner.part == Part::legend)
      if (const auto* ground = std::get_if<FillRect>(&item)) return ground->rect;
  return std::nullopt;
}

}  // namespace

TEST_CASE("a legend in the best place covers no line, no marker and no bar") {
  std::mt19937 random(3);
  const auto share = [&] { return static_cast<double>(random() % 1000) / 1000; };
  int inside = 0;
  for (int round = 0; round < 150; ++round) {
    Panel p;
    p.legend = LegendPlace::best;
    const int lines = 1 + static_cast<int>(random() % 3);
    for (int k = 0; k < lines; ++k) {
      std::vector<double> x, y;
      const int n = 2 + static_cast<int>(random() % 30);
      const double slope = 4 * share() - 2, wave = 6 * share();
      for (int i = 0; i < n; ++i) {
        x.push_back(i * 10.0 / (n - 1));
        y.push_back(slope * x.back() + std::sin(wave * x.back()) + share());
      }
      auto line = line_of(x, y, "a line");
      if (random() % 3 == 0) line.kind = Layer::Kind::scatter;
      p.layers.push_back(line);
    }
    if (random() % 3 == 0) {
      Layer bars;
      bars.kind = Layer::Kind::boxes;
      bars.label = "bars";
      for (int k = 0; k < 6; ++k) {
        bars.left.push_back(k * 1.6);
        bars.right.push_back(k * 1.6 + 1);
        bars.low.push_back(0);
        bars.high.push_back(5 * share());
      }
      p.layers.push_back(bars);
    }
    const auto list = laid(p);
    const auto box = legend_of(list);
    if (!box) continue;  // beside the panel
    ++inside;
    const auto& area = list.panels[0].area;
    CHECK((box->x >= area.x && box->right() <= area.right() && box->y >= area.y &&
           box->bottom() <= area.bottom()));
    bool covers = false;
    for (const auto& item : list.items) {
      if (item.owner.part != Part::data) continue;
      if (const auto* s = std::get_if<StrokePath>(&item))
        for (const auto& piece : s->pieces)
          for (std::size_t k = 1; k < piece.size(); ++k)
            covers = covers || runs_through(piece[k - 1], piece[k], *box);
      if (const auto* f = std::get_if<FillPath>(&item))
        for (const auto& piece : f->pieces)
          covers =
              covers ||
              Rect{piece[0].x, piece[2].y, piece[1].x - piece[0].x, piece[0].y - piece[2].y}.overlaps(*box);
      if (const auto* m = std::get_if<Markers>(&item))
        for (const auto& q : m->points)
          covers = covers || (q.x > box->x && q.x < box->right() && q.y > box->y && q.y < box->bottom());
    }
    CHECK(!covers);
  }
  CHECK(inside > 60);
}

TEST_CASE("a legend goes beside a panel that is full, and into the one free corner of another") {
  Layer field;
  field.kind = Layer::Kind::heatmap;
  field.x = field.y = {0, 1, 2};
  field.z = {1, 2, 3, 4};
  Panel p;
  p.legend = LegendPlace::best;
  p.layers = {field, line_of({0, 2}, {0, 2}, "line")};
  CHECK(!legend_of(laid(p)));
  // Without values in its lower left quarter.
  p.layers[0].z = {std::nan(""), 2, 3, 4};
  p.layers[1] = line_of({1, 2}, {1, 2}, "line");
  const auto list = laid(p);
  const auto box = legend_of(list);
  REQUIRE(box);
  const auto& area = list.panels[0].area;
  CHECK(box->right() <= area.x + area.width / 2);
  CHECK(box->y >= area.y + area.height / 2);
}

TEST_CASE("what the ends of lines have no room for stands in a legend, and no label leaves the page") {
  Panel p;
  p.legend = LegendPlace::ends;
  for (int k = 0; k < 45; ++k) p.layers.push_back(line_of({0, 1}, {0, 1.0 + k}, "line " + std::to_string(k)));
  p.layers.push_back(line_of({0, 1}, {0, 1}, "points"));
  p.layers.back().kind = Layer::Kind::scatter;
  const auto list = laid(p);
  check_texts(list);
  std::set<std::string> labels;
  for (const auto* text : all_of<DrawnText>(list))
    if (text->role == "legend") labels.insert(text->source);
  CHECK(labels.size() == 46);
  CHECK(list.warnings.empty());
}
