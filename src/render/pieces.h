// The pieces of surfaces as pixels.
#pragma once

#include <utility>

#include "render/raster.h"

namespace quill {

// Samples finer than pixels on which pieces are painted from the nearest to the farthest. What is covered is
// passed over by links to the next open sample, so that what lies hidden costs nothing. Samples lie column by
// column, since pieces of surfaces are narrow and tall. It can be used again and is empty between uses.
class PieceCanvas {
 public:
  // Draws pieces, which stand in the order from the farthest to the nearest, with the lines of their mesh and
  // with smooth edges onto a surface of `scale` pixels for a point, within a rectangle of whole pixels.
  void stamp(cairo_surface_t* surface, const Quads& quads, double scale, const Rect& pixels);

 private:
  void begin(std::size_t width, std::size_t height);
  void add(const std::array<Point, 4>& corners, std::uint32_t pixel);
  void outline(const std::array<Point, 4>& corners, double line_width, std::uint32_t pixel);
  void fill(const Point (&triangle)[3], std::uint32_t pixel);
  void fill_column(std::size_t x, std::size_t from, std::size_t to, std::uint32_t pixel);
  // Puts means of samples over the pixels of the surface, and empties what was painted.
  void finish(cairo_surface_t* surface, std::size_t left, std::size_t top);

  std::size_t width_ = 0, height_ = 0;
  std::vector<std::uint32_t> samples_, next_;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> touched_;  // of each column: from, to
};

}  // namespace quill
