// What stands around the data: notes with arrows, guides, the bar of colours.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"

namespace quill {

// Guides and notes outside of the limits are not drawn, which is reported.
void draw_guides(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text,
                 DisplayList& out);
void draw_notes(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text, const Rect& page,
                DisplayList& out);

// The bar of colours to the right of a panel, with its measured texts.
struct ColorBarPlan {
  std::optional<ColorScale> scale;
  // Of filled contours: a band between neighbouring edges, each in the colour of its region. Empty: a
  // gradient.
  std::vector<double> edges;
  std::vector<Color> bands;
  AxisPlan axis;
  double width = 0;  // with everything; 0: there is none
};
ColorBarPlan plan_color_bar(const Panel& panel, double height, const Theme& theme, TextLayer& text);
void draw_color_bar(const ColorBarPlan& plan, const Rect& area, const Theme& theme, DisplayList& out);

}  // namespace quill
