// Rasterizes surfaces of many small pieces.
#pragma once

#include <utility>

#include "render/raster.h"

namespace quill {

// Supersampled buffer, painted from front to back. Links skip covered samples, so hidden pieces cost nothing.
// Samples are stored column by column, since pieces are narrow and tall. Reusable; empty between uses.
class PieceCanvas {
 public:
  // Draws pieces, sorted from back to front, with mesh lines and antialiased edges, onto a surface with
  // `scale` pixels for a point, within a rectangle of pixels.
  void stamp(cairo_surface_t* surface, const Quads& quads, double scale, const Rect& pixels);

 private:
  void begin(std::size_t width, std::size_t height);
  void add(const std::array<Point, 4>& corners, std::uint32_t pixel);
  void outline(const std::array<Point, 4>& corners, double line_width, std::uint32_t pixel);
  void fill(const Point (&triangle)[3], std::uint32_t pixel);
  void fill_column(std::size_t x, std::size_t from, std::size_t to, std::uint32_t pixel);
  // Blends the averaged samples over the pixels of the surface, and clears the buffer.
  void finish(cairo_surface_t* surface, std::size_t left, std::size_t top);

  std::size_t width_ = 0, height_ = 0;
  std::vector<std::uint32_t> samples_, next_;
  std::vector<std::pair<std::uint32_t, std::uint32_t>> touched_;  // range in each column
};

}  // namespace quill
