// What stands around the data: notes with arrows, guides, the bar of colours.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"

namespace quill {

void draw_guides(const Panel& panel, const Mapping& map, const Theme& theme, DisplayList& out);
void draw_notes(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text, const Rect& page,
                DisplayList& out);

// The bar of colours to the right of a panel, with its measured texts.
struct ColorBarPlan {
  std::optional<ColorScale> scale;
  AxisPlan axis;
  double width = 0;  // with everything; 0: there is none
};
ColorBarPlan plan_color_bar(const Panel& panel, double height, const Theme& theme, TextLayer& text);
void draw_color_bar(const ColorBarPlan& plan, const Rect& area, const Theme& theme, DisplayList& out);

// Labels of lines at their right ends, moved apart; the width they need.
double end_labels_width(const Panel& panel, const Theme& theme, TextLayer& text);
void draw_end_labels(const Panel& panel, const std::vector<Look>& looks, const Mapping& map,
                     const Theme& theme, TextLayer& text, DisplayList& out);

}  // namespace quill
