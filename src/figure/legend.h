// The legend of a panel: what it lists, how large it is, where it stands.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"

namespace quill {

struct LegendPlan {
  std::optional<LegendPlace> place;  // nothing without a legend
  std::vector<std::size_t> layers;   // the ones with labels
  std::vector<TextLine> labels;
  double width = 0, height = 0;
  std::size_t left_out = 0;  // labels without room
  Rect box;
  bool outside() const { return place == LegendPlace::outside_right; }
};

// Within `room`: long labels are cut, and what has no room below the others is left out. At `place` when the
// panel has a legend.
LegendPlan plan_legend(const Panel& panel, LegendPlace place, const Theme& theme, TextLayer& text,
                       Point room);
// The share of the data that the legend covers where it covers the least.
double least_covered(const LegendPlan& plan, const Panel& panel, const Mapping& map);
constexpr double kLegendGap = 10;  // to its left when it stands outside
// Sets the box; `outside_left`: where one beside the panel begins. "best" takes the place that covers the
// least of the data.
void place_legend(LegendPlan& plan, const Panel& panel, const Mapping& map, double outside_left);
void draw_legend(const LegendPlan& plan, const Panel& panel, const std::vector<Look>& looks,
                 const Theme& theme, TextMeasurer& measurer, DisplayList& out);

}  // namespace quill
