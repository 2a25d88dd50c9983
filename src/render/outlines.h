// Markers and dashes, shared by all formats.
#pragma once

#include <vector>

#include "figure/display.h"

namespace quill {

// Outline around (0, 0): a circle, or straight pieces.
struct MarkerOutline {
  double radius = 0;
  std::vector<std::vector<Point>> pieces;
  bool closed = true;
  double stroke = 0;    // line width; 0: filled
  bool filled = false;  // filled with the paper's colour, under the line
};
MarkerOutline marker_outline(Marker shape, double size);

// Alternating lengths of dashes and gaps; empty for a solid line.
struct DashPattern {
  std::vector<double> lengths;
  bool round = false;  // round ends, so that the shortest dashes are dots
};
DashPattern dash_pattern(Dash dash, double width);

}  // namespace quill
