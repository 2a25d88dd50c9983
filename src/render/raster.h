// Raster images inside of figures: matrix cells, and surfaces of many pieces.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "figure/display.h"
#include "render/cairo_handles.h"

namespace quill {

// 8 bits for each component, premultiplied.
std::uint32_t pixel_of(const Color& color);
// An empty image. Throws Error if it is too large.
Surface make_surface(std::size_t width, std::size_t height);
// Red, green and blue of all pixels of an opaque image, row by row.
std::vector<std::array<std::uint8_t, 3>> colors_of(cairo_surface_t* surface);
// A row of pixels of the surface.
unsigned char* row_of(cairo_surface_t* surface, std::size_t y);

// One pixel for each cell.
Surface picture_surface(const Picture& picture);

// Pieces painted in order with `scale` pixels for a point, with mesh lines and antialiased outer edges.
// `origin` receives the corner of the image on the page. Drawing many small pieces as paths would take
// seconds and show seams.
struct PiecesPicture {
  Surface surface;
  Point origin;
  double width = 0, height = 0;  // points
};
PiecesPicture paint_pieces(const Quads& quads, double scale, const Rect& page);
// Stamps many markers, with `scale` pixels for a point, onto an image (RGB or with opacity), within a
// rectangle of pixels; positions are exact to a quarter of a pixel.
void stamp_markers(cairo_surface_t* surface, const Markers& markers, double scale, const Rect& pixels);
// The same on a separate image, for vector formats.
PiecesPicture paint_markers(const Markers& markers, double scale, const Rect& page);
// Whether there are so many small markers that this pays; vector formats keep more of them as shapes.
bool are_many(const Markers& markers, double scale, bool on_pixels);

bool is_opaque(const Quads& quads);
constexpr std::size_t kManyPieces = 4000;  // more become pixels in every format
constexpr double kFileScale = 300.0 / 72;  // pixels for a point in PDF and SVG

}  // namespace quill
