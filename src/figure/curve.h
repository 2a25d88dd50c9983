// Paths from data: mapping into the plotting area, gaps at nan, clipping.
#pragma once

#include "figure/display.h"

namespace quill {

// Maps data coordinates to page coordinates.
struct Mapping {
  Scale x, y;
  Rect area;
  Point operator()(double data_x, double data_y) const;
};

// Parts of a line inside the area, extended a little beyond its edges; merges points that are too close to be
// distinguished. Points in the area without segments are added to `isolated`.
std::vector<std::vector<Point>> line_pieces(const std::vector<double>& x, const std::vector<double>& y,
                                            const Mapping& map, std::vector<Point>* isolated = nullptr);
// Indices (from 0) of the points inside the area.
std::vector<std::size_t> places_inside(const std::vector<double>& x, const std::vector<double>& y,
                                       const Mapping& map);

}  // namespace quill
