// Data to paths: mapping into the plotting area, gaps at NaN, cutting at the edges.
#pragma once

#include "figure/display.h"

namespace quill {

// From data to points of the page.
struct Mapping {
  Scale x, y;
  Rect area;
  Point operator()(double data_x, double data_y) const;
};

// The pieces of a line inside the area, a little beyond its edges; points closer than the eye sees are left
// out. Points in the area that no piece leads to go into `isolated`.
std::vector<std::vector<Point>> line_pieces(const std::vector<double>& x, const std::vector<double>& y,
                                            const Mapping& map, std::vector<Point>* isolated = nullptr);
// The places (from 0) of the points that lie inside the area.
std::vector<std::size_t> places_inside(const std::vector<double>& x, const std::vector<double>& y,
                                       const Mapping& map);

}  // namespace quill
