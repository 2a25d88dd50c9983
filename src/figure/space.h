// Panels in space: a box of three axes seen from a camera, with surfaces, curves and points in it.
#pragma once

#include "figure/draw.h"

namespace quill {

// Titles of the three axes, from the panel or from the data.
struct SpaceTitles {
  std::string x, y, z;
};

// Draws the whole panel into the area. Limits that were asked for hold; the others follow the data. What lies
// behind is drawn first.
void draw_space(const Panel& panel, const SpaceTitles& titles, const std::vector<Look>& looks,
                const Rect& area, const Theme& theme, TextMeasurer& measurer, DisplayList& out);

}  // namespace quill
