// Patterns of areas, for where colour alone cannot be relied on.
#pragma once

#include "figure/display.h"

namespace quill {

// Emits a filled area, with the lines or dots of a pattern over a paler ground; one without a pattern is
// plain. The pieces are polygons that do not overlap; patterns of neighbouring areas meet. `bounds`: what can
// be seen of it. `line_factor`: of the widths of lines.
void fill_area(std::vector<std::vector<Point>> pieces, const Color& color, Pattern pattern,
               const Rect& bounds, double line_factor, DisplayList& out);

}  // namespace quill
