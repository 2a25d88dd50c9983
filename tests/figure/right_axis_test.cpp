// A second axis for some layers: its own limits, its own place for every datum.
#include "figure/left_out.h"
#include "laid_out.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("layers of the right axis stand between its limits, beside those of the left one") {
  Panel p;
  p.layers = {line_of({0, 1}, {0, 1}), line_of({0, 1}, {1000, 4000})};
  p.layers[1].on_right = true;
  p.layers[1].y_name = "inflow (m³/s)";
  p.y.title = "level (m)";
  p.right.limits = Limits{0, 5000};
  p.legend = LegendPlace::best;
  for (auto& layer : p.layers) layer.label = "line";
  const auto list = laid(p);
  check_texts(list);
  const auto& info = list.panels[0];
  CHECK(info.has_right);
  CHECK(info.y.high < 1.1);
  CHECK(info.right_axis.scale.limits == Limits{0, 5000});
  const auto& a = info.area;
  std::vector<const StrokePath*> lines;
  for (const auto& item : list.items)
    if (item.owner.part == Part::data)
      if (const auto* s = std::get_if<StrokePath>(&item)) lines.push_back(s);
  REQUIRE(lines.size() == 2);
  CHECK(lines[1]->pieces[0][0].y == Approx(a.bottom() - 0.2 * a.height));
  CHECK(lines[1]->pieces[0][1].y == Approx(a.bottom() - 0.8 * a.height));
  bool has_title = false;
  for (const auto* t : all_of<DrawnText>(list)) {
    if (t->role == "right tick" || t->role == "right title") CHECK(t->box().x > a.right());
    has_title = has_title || (t->role == "right title" && t->source == "inflow (m³/s)");
  }
  CHECK(has_title);
}

TEST_CASE("the right axis has a scale of its own, and what it leaves out is reported by it") {
  Panel p;
  p.layers = {line_of({0, 1, 2}, {-1, 0, 1}), line_of({0, 1, 2}, {-1, 10, 1000}, "inflow")};
  p.layers[1].on_right = true;
  p.right.scale = ScaleKind::log;
  const auto list = laid(p);
  CHECK(list.warnings ==
        std::vector<std::string>{
            "1 point of a line (\"inflow\") is not drawn: it is 0 or negative, and the axis is logarithmic"});
  CHECK(list.panels[0].right_axis.scale.limits.low > 0);
  p.right.limits = Limits{0, 10};
  CHECK_THROWS(laid(p));
}
