// Isolines of gridded values, and the regions above them.
#pragma once

#include <vector>

#include "figure/display.h"

namespace quill {

// Values z at the crossings of x (columns) and y (rows), row-major; nan leaves the surrounding cells empty.
struct GridValues {
  const std::vector<double>& x;
  const std::vector<double>& y;
  const std::vector<double>& z;
  double at(std::size_t row, std::size_t column) const { return z[row * x.size() + column]; }
};

// Isolines of z at `level`, linear along cell edges (marching squares: W. E. Lorensen, H. E. Cline, 1987, in
// the plane), joined into long lines; closed ones end where they begin. In coordinates of x and y.
std::vector<std::vector<Point>> contour_lines(const GridValues& grid, double level);

// Polygons of the cells where z >= level.
std::vector<std::vector<Point>> region_above(const GridValues& grid, double level);

}  // namespace quill
