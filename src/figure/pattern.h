// Patterns of filled areas, which distinguish them without colour.
#pragma once

#include "figure/display.h"

namespace quill {

// Adds a filled area with the lines or dots of a pattern on a paler ground, or plain. The polygons must not
// overlap; patterns of neighbouring areas are aligned. `bounds`: visible range. `line_factor`: scale of line
// widths.
void fill_area(std::vector<std::vector<Point>> pieces, const Color& color, Pattern pattern,
               const Rect& bounds, double line_factor, DisplayList& out);

}  // namespace quill
