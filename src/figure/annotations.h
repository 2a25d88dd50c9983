// Notes with arrows, guides, and the colour bar.
#pragma once

#include "figure/axes.h"
#include "figure/draw.h"

namespace quill {

// Omits and reports guides and notes outside of the limits.
void draw_guides(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text,
                 DisplayList& out);
void draw_notes(const Panel& panel, const Mapping& map, const Theme& theme, TextLayer& text, const Rect& page,
                DisplayList& out);

// Colour bar at the right of a panel, with its measured texts.
struct ColorBarPlan {
  std::optional<ColorScale> scale;
  // For filled contours: bands between neighbouring edges, in the colours of the regions. Empty: a gradient.
  std::vector<double> edges;
  std::vector<Color> bands;
  AxisPlan axis;
  double width = 0;  // with labels and title; 0: no bar
};
ColorBarPlan plan_color_bar(const Panel& panel, double height, const Theme& theme, TextLayer& text);
void draw_color_bar(const ColorBarPlan& plan, const Rect& area, const Theme& theme, DisplayList& out);

}  // namespace quill
