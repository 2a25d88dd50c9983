#include "render/raster.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstring>

#include "base/error.h"
#include "base/interrupt.h"

namespace quill {

namespace {

std::uint32_t part(double v) {
  return static_cast<std::uint32_t>(std::lround(std::clamp(v, 0.0, 1.0) * 255));
}

}  // namespace

std::uint32_t pixel_of(const Color& c) {
  return part(c.alpha) << 24 | part(c.red * c.alpha) << 16 | part(c.green * c.alpha) << 8 |
         part(c.blue * c.alpha);
}

Surface make_surface(std::size_t width, std::size_t height) {
  Surface image(
      cairo_image_surface_create(CAIRO_FORMAT_ARGB32, static_cast<int>(width), static_cast<int>(height)));
  if (cairo_surface_status(image.get()) != CAIRO_STATUS_SUCCESS)
    fail(fmt::format("a picture of {}×{} cells cannot be drawn", width, height));
  return image;
}

std::vector<std::array<std::uint8_t, 3>> colors_of(cairo_surface_t* surface) {
  cairo_surface_flush(surface);
  const auto width = static_cast<std::size_t>(cairo_image_surface_get_width(surface)),
             height = static_cast<std::size_t>(cairo_image_surface_get_height(surface));
  std::vector<std::array<std::uint8_t, 3>> out(width * height);
  auto to = out.begin();
  for (std::size_t y = 0; y < height; ++y) {
    const auto* p = row_of(surface, y);  // blue, green, red, nothing
    for (std::size_t x = 0; x < width; ++x, p += 4) *to++ = {p[2], p[1], p[0]};
  }
  return out;
}

unsigned char* row_of(cairo_surface_t* surface, std::size_t y) {
  return cairo_image_surface_get_data(surface) +
         static_cast<std::ptrdiff_t>(y) * cairo_image_surface_get_stride(surface);
}

Surface picture_surface(const Picture& p) {
  auto image = make_surface(p.columns, p.rows);
  cairo_surface_flush(image.get());
  for (std::size_t r = 0; r < p.rows; ++r) {
    poll_interrupt();
    auto* row = row_of(image.get(), r);
    for (std::size_t c = 0; c < p.columns; ++c) {
      const auto pixel = pixel_of(p.cells[r * p.columns + c]);
      std::memcpy(row + 4 * c, &pixel, sizeof pixel);
    }
  }
  cairo_surface_mark_dirty(image.get());
  return image;
}

bool is_opaque(const Quads& quads) {
  return std::all_of(quads.colors.begin(), quads.colors.end(), [](const Color& c) { return c.alpha >= 1; });
}

}  // namespace quill
