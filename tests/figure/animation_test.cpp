// Frames that can be compared: one set of limits, ranges and levels.
#include "figure/animation.h"
#include "figure/layout.h"

#include "figure/draw.h"
#include "laid_out.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("all frames have the limits of the data of all of them, unless they were asked for") {
  Figure f;
  f.name = "f";
  f.is_animated = true;
  for (int k = 1; k <= 4; ++k) {
    FigureFrame frame;
    frame.label = std::to_string(k);
    Panel p;
    p.layers = {line_of({0, 1.0 * k}, {-1.0 * k, 10.0 * k})};
    p.legend = LegendPlace::best;
    p.layers[0].label = "line";
    if (k == 2) p.x.limits = Limits{0, 3};
    frame.panels = {p};
    f.frames.push_back(frame);
  }
  BlockFont font;
  const auto common = with_common_limits(f, font);
  Rect area;
  for (std::size_t k = 0; k < 4; ++k) {
    const auto list = lay_out(frame_of(common, k), font);
    const auto& info = list.panels[0];
    CHECK((info.y.low <= -4 && info.y.high >= 40));
    if (k == 1)
      CHECK(info.x == Limits{0, 3});
    else
      CHECK((info.x.low <= 0 && info.x.high >= 4));
    // The panel does not move.
    if (k > 0) CHECK((info.area.width == Approx(area.width) && info.area.x == Approx(area.x)));
    area = info.area;
  }
}

TEST_CASE("colours stand for the same values in all frames, and contours have the same levels") {
  for (const auto kind : {Layer::Kind::heatmap, Layer::Kind::filled_contours, Layer::Kind::surface}) {
    Figure f;
    f.name = "f";
    f.is_animated = true;
    for (int k = 1; k <= 3; ++k) {
      Layer l;
      l.kind = kind;
      l.x = l.y = {0, 1, 2};
      if (kind == Layer::Kind::heatmap) l.x = l.y = {0, 1, 2, 3};
      for (int i = 0; i < 9; ++i) l.z.push_back(k * i);
      Panel p;
      p.layers = {l};
      f.frames.push_back({std::to_string(k), {p}, "", ""});
    }
    BlockFont font;
    const auto common = with_common_limits(f, font);
    for (const auto& frame : common.frames) {
      CHECK(frame.panels[0].layers[0].range == Limits{0, 24});
      if (kind != Layer::Kind::filled_contours) continue;
      CHECK(contour_levels(frame.panels[0].layers[0]) ==
            contour_levels(common.frames[0].panels[0].layers[0]));
    }
  }
}
