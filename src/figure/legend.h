// The legend of a panel: what it lists, how large it is, where it stands.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"
#include "figure/ink.h"

namespace quill {

struct LegendPlan {
  std::optional<LegendPlace> place;  // nothing without a legend
  std::vector<std::size_t> layers;   // the ones with labels
  std::vector<TextLine> labels;
  std::size_t rows = 0;  // below each other, in columns
  double row_height = 0, column_width = 0;
  double width = 0, height = 0;
  std::size_t left_out = 0;  // labels without room
  Rect box;
  bool outside() const { return place == LegendPlace::outside_right; }
};

// Within `room`: long labels are cut, and what has no room below the others is left out. At `place` when the
// panel has a legend. Layers whose label stands elsewhere are not listed.
LegendPlan plan_legend(const Panel& panel, LegendPlace place,
                       const std::vector<std::size_t>& labelled_elsewhere, const Theme& theme,
                       TextLayer& text, Point room);
constexpr double kLegendGap = 10;  // to its left when it stands outside
// Where the legend would cover the least; nothing when it is larger than the area.
std::optional<InkMap::Place> free_place(const LegendPlan& plan, const InkMap& ink);
// Sets the box; `outside_left`: where one beside the panel begins. "best" takes the place that covers the
// least ink.
void place_legend(LegendPlan& plan, const Rect& area, const InkMap* ink, double outside_left);
void draw_legend(const LegendPlan& plan, const Panel& panel, const std::vector<Look>& looks,
                 const Theme& theme, TextMeasurer& measurer, DisplayList& out);

}  // namespace quill
