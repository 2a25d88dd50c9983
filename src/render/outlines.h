// Shapes that every format draws alike: markers and dashes.
#pragma once

#include <vector>

#include "figure/display.h"

namespace quill {

// Around (0, 0): a circle with a radius, or pieces of straight lines.
struct MarkerOutline {
  double radius = 0;
  std::vector<std::vector<Point>> pieces;
  bool closed = true;
  double stroke = 0;    // the width of its line; 0: the shape is filled
  bool filled = false;  // with the paper's colour, under the line
};
MarkerOutline marker_outline(Marker shape, double size);

// Lengths of strokes and gaps in turn; none for a solid line.
struct DashPattern {
  std::vector<double> lengths;
  bool round = false;  // ends of strokes, so that the shortest are dots
};
DashPattern dash_pattern(Dash dash, double width);

}  // namespace quill
