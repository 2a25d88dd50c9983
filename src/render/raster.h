// Pictures of pixels inside of figures: cells of matrices, and the many pieces of a surface.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "figure/display.h"
#include "render/cairo_handles.h"

namespace quill {

// Of 8 bits for each part, premultiplied.
std::uint32_t pixel_of(const Color& color);
// An empty picture; Error when it is too large.
Surface make_surface(std::size_t width, std::size_t height);
// Red, green and blue of all pixels of a picture without opacity, row by row.
std::vector<std::array<std::uint8_t, 3>> colors_of(cairo_surface_t* surface);
// A row of the surface's pixels.
unsigned char* row_of(cairo_surface_t* surface, std::size_t y);

// One pixel for each cell.
Surface picture_surface(const Picture& picture);

// Pieces painted in their order at `scale` pixels for a point, with the lines of their mesh and with smooth
// outer edges. `origin` becomes the corner of the picture on the page. Drawing very many small pieces as
// paths would take seconds, and show seams between them.
struct PiecesPicture {
  Surface surface;
  Point origin;
  double width = 0, height = 0;  // points
};
PiecesPicture paint_pieces(const Quads& quads, double scale, const Rect& page);
// Very many markers stamped at `scale` pixels for a point onto a picture of pixels (RGB or with opacity),
// within the rectangle of pixels; places are true to a quarter of a pixel.
void stamp_markers(cairo_surface_t* surface, const Markers& markers, double scale, const Rect& pixels);
// The same on a picture of their own, for files of shapes.
PiecesPicture paint_markers(const Markers& markers, double scale, const Rect& page);
// Whether there are so many, and each so small, that this pays; files of shapes keep more of them as shapes.
bool are_many(const Markers& markers, double scale, bool on_pixels);

bool is_opaque(const Quads& quads);
constexpr std::size_t kManyPieces = 4000;  // more are pixels in every format
constexpr double kFileScale = 300.0 / 72;  // their pixels for a point in PDF and SVG

}  // namespace quill
