// Patterns stay within their areas, and areas differ by them.
#include "figure/pattern.h"

#include <random>
#include <set>

#include "figure/draw.h"
#include "laid_out.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("lines and dots of patterns lie within their areas") {
  std::mt19937 random(12);
  const auto share = [&] { return static_cast<double>(random() % 1000) / 1000; };
  const Rect bounds{0, 0, 300, 200};
  for (int round = 0; round < 200; ++round) {
    // A triangle and a box.
    const std::vector<Point> triangle = {{10 + 80 * share(), 10 + 80 * share()},
                                         {110 + 30 * share(), 20 * share()},
                                         {60 * share(), 120 + 60 * share()}};
    const double left = 160 + 20 * share(), top = 40 * share(), right = left + 100 * share(),
                 bottom = top + 100 * share();
    const std::vector<Point> box = {{left, top}, {right, top}, {right, bottom}, {left, bottom}};
    const auto side = [&](Point p, std::size_t k) {
      const auto &a = triangle[k], &b = triangle[(k + 1) % 3];
      return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x);
    };
    const auto inside = [&](Point p) {
      constexpr double slack = 1e-6;
      if (p.x >= left - slack && p.x <= right + slack && p.y >= top - slack && p.y <= bottom + slack)
        return true;
      const double sides[] = {side(p, 0), side(p, 1), side(p, 2)};
      return (sides[0] >= -slack && sides[1] >= -slack && sides[2] >= -slack) ||
             (sides[0] <= slack && sides[1] <= slack && sides[2] <= slack);
    };
    for (const auto pattern : {Pattern::rising, Pattern::falling, Pattern::crossed, Pattern::level,
                               Pattern::upright, Pattern::dotted}) {
      DisplayList out;
      fill_area({triangle, box}, {0, 0, 0}, pattern, bounds, 1, out);
      std::size_t marks = 0;
      for (const auto& item : out.items) {
        if (const auto* s = std::get_if<StrokePath>(&item))
          for (const auto& piece : s->pieces)
            for (const auto& p : piece) {
              ++marks;
              CHECK(inside(p));
            }
        if (const auto* m = std::get_if<Markers>(&item))
          for (const auto& p : m->points) {
            ++marks;
            CHECK(inside(p));
          }
      }
      CHECK(marks > 12);  // more than the edges
    }
  }
}

TEST_CASE("areas of the theme for print differ by patterns, others when they are asked for") {
  Figure f;
  f.name = "f";
  f.panels.resize(1);
  for (int k = 0; k < 5; ++k) {
    Layer bars;
    bars.kind = Layer::Kind::boxes;
    bars.left = {1.0 * k};
    bars.right = {k + 0.8};
    bars.low = {0};
    bars.high = {1};
    f.panels[0].layers.push_back(bars);
  }
  const auto patterns = [&] {
    std::set<Pattern> out;
    for (const auto& look : looks_of(f.panels[0], theme_of(f))) out.insert(look.pattern);
    return out;
  };
  CHECK(patterns() == std::set<Pattern>{Pattern::none});
  f.panels[0].layers[2].pattern = Pattern::dotted;
  CHECK(patterns() == std::set<Pattern>{Pattern::none, Pattern::dotted});
  f.theme = "print";
  CHECK(patterns().size() == 5);
  f.panels[0].layers[1].pattern = Pattern::none;
  CHECK(patterns().size() == 4);
}
