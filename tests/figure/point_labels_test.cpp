// Labels of points: apart, beside their points, inside; what has no room is reported.
#include <random>
#include <set>

#include "laid_out.h"

using namespace quill;
using namespace quill::test;

namespace {

std::vector<const DrawnText*> point_labels(const DisplayList& list) {
  std::vector<const DrawnText*> out;
  for (const auto* t : all_of<DrawnText>(list))
    if (t->role == "label") out.push_back(t);
  return out;
}

}  // namespace

TEST_CASE("labels of points lie apart from each other and from all points, inside of the area") {
  std::mt19937 random(17);
  const auto share = [&] { return static_cast<double>(random() % 10000) / 10000; };
  for (int round = 0; round < 60; ++round) {
    Panel p;
    Layer points = line_of({}, {});
    points.kind = Layer::Kind::scatter;
    const std::size_t n = 1 + random() % 40;
    const double spread = round % 2 == 0 ? 1 : 0.2;  // crowded ones too
    for (std::size_t k = 0; k < n; ++k) {
      points.x.push_back(spread * share());
      points.y.push_back(spread * share());
      p.labels.push_back({std::string(1 + random() % 12, 'a'), points.x.back(), points.y.back(), {}, {}});
    }
    p.layers = {points};
    p.x.limits = p.y.limits = Limits{-0.05, 1.05};
    const auto list = laid(p);
    const auto labels = point_labels(list);
    const auto& area = list.panels[0].area;
    std::size_t told = 0;
    for (const auto& warning : list.warnings)
      if (warning.find("no room beside the others") != std::string::npos) told = std::stoul(warning);
    CHECK(labels.size() + told == n);
    if (n < 20 && spread == 1) CHECK(told == 0);
    const auto at = [&](std::size_t k) {
      return Point{area.x + (points.x[k] + 0.05) / 1.1 * area.width,
                   area.bottom() - (points.y[k] + 0.05) / 1.1 * area.height};
    };
    for (std::size_t i = 0; i < labels.size(); ++i) {
      const auto box = labels[i]->box();
      constexpr double slack = 1e-6;
      CHECK((box.x >= area.x - slack && box.right() <= area.right() + slack && box.y >= area.y - slack &&
             box.bottom() <= area.bottom() + slack));
      for (std::size_t j = 0; j < i; ++j) CHECK(!box.overlaps(labels[j]->box()));
      for (std::size_t k = 0; k < n; ++k) {
        const auto q = at(k);
        CHECK(!(q.x > box.x && q.x < box.right() && q.y > box.y && q.y < box.bottom()));
      }
    }
  }
}

TEST_CASE("a lone label stands right beside its point, one of a crowd has a leader to it") {
  Panel p;
  p.labels = {{"harbour", 0.5, 0.5, {}, {}}};
  p.x.limits = p.y.limits = Limits{0, 1};
  const auto list = laid(p);
  const auto& area = list.panels[0].area;
  REQUIRE(point_labels(list).size() == 1);
  const auto box = point_labels(list)[0]->box();
  const double x = area.x + area.width / 2, y = area.y + area.height / 2;
  CHECK(std::hypot(std::clamp(x, box.x, box.right()) - x, std::clamp(y, box.y, box.bottom()) - y) < 8);
  p.labels.clear();
  for (int k = 0; k < 30; ++k) p.labels.push_back({"station", 0.5 + 0.002 * k, 0.5, {}, {}});
  const auto crowd = laid(p);
  std::size_t leaders = 0;
  for (const auto& item : crowd.items)
    if (item.owner.part == Part::note) leaders += std::holds_alternative<StrokePath>(item);
  CHECK(leaders > 5);
  CHECK(point_labels(crowd).size() == 30);
}

TEST_CASE("labels outside explicit limits are reported, and automatic limits include them") {
  Panel p;
  p.labels = {{"in", 1, 1, {}, {}}, {"far", 50, 1, {}, {}}};
  CHECK(point_labels(laid(p)).size() == 2);
  p.x.limits = Limits{0, 2};
  const auto list = laid(p);
  CHECK(point_labels(list).size() == 1);
  CHECK(list.warnings ==
        std::vector<std::string>{"1 label is not drawn: its point is outside the limits of the axes"});
}
