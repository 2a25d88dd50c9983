// Contents, size and position of a panel's legend.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"
#include "figure/ink.h"

namespace quill {

struct LegendPlan {
  std::optional<LegendPlace> place;  // nothing: no legend
  std::vector<std::size_t> layers;   // layers with labels
  std::vector<TextLine> labels;
  std::size_t rows = 0;  // rows in each column
  double row_height = 0, column_width = 0;
  double width = 0, height = 0;
  std::size_t left_out = 0;  // labels without room
  Rect box;
  bool outside() const { return place == LegendPlace::outside_right; }
};

// Plans a legend within `room`: shortens long labels and omits those that do not fit. At `place` if the panel
// has a legend. Omits layers that are labelled elsewhere.
LegendPlan plan_legend(const Panel& panel, LegendPlace place,
                       const std::vector<std::size_t>& labelled_elsewhere, const Theme& theme,
                       TextLayer& text, Point room);
constexpr double kLegendGap = 10;  // to the left of a legend outside of the area
// Position where the legend covers least; nothing if it is larger than the area.
std::optional<InkMap::Place> free_place(const LegendPlan& plan, const InkMap& ink);
// Sets the box; `outside_left`: left edge of one beside the panel. "best" chooses the position that covers
// the least ink.
void place_legend(LegendPlan& plan, const Rect& area, const InkMap* ink, double outside_left);
void draw_legend(const LegendPlan& plan, const Panel& panel, const std::vector<Look>& looks,
                 const Theme& theme, TextMeasurer& measurer, DisplayList& out);

}  // namespace quill
