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

namespace {

constexpr int kFiner = 3;  // samples along each side of a pixel

// The fine grid that pieces are painted on; 0 is empty.
struct Canvas {
  std::size_t width, height;
  std::vector<std::uint32_t> pixels;
  Canvas(std::size_t w, std::size_t h) : width(w), height(h), pixels(w * h, 0) {}

  // Every sample whose middle lies in the triangle.
  void fill(const Point (&t)[3], std::uint32_t pixel) {
    const auto [low, high] = std::minmax({t[0].y, t[1].y, t[2].y});
    const auto last = static_cast<double>(height) - 1;
    const auto from = static_cast<std::ptrdiff_t>(std::ceil(std::clamp(low - 0.5, 0.0, last + 1))),
               to = static_cast<std::ptrdiff_t>(std::floor(std::clamp(high - 0.5, -1.0, last)));
    for (auto y = from; y <= to; ++y) {
      const double at = static_cast<double>(y) + 0.5;
      double a = INFINITY, b = -INFINITY;
      for (int e = 0; e < 3; ++e) {
        const auto &p = t[e], &r = t[(e + 1) % 3];
        if ((p.y < at && r.y < at) || (p.y > at && r.y > at)) continue;
        const double x = p.y == r.y ? p.x : p.x + (at - p.y) / (r.y - p.y) * (r.x - p.x);
        a = std::min({a, x, p.y == r.y ? r.x : x});
        b = std::max({b, x, p.y == r.y ? r.x : x});
      }
      if (!(a <= b)) continue;
      const auto end = static_cast<double>(width) - 1;
      const auto x_from = static_cast<std::ptrdiff_t>(std::ceil(std::clamp(a - 0.5, 0.0, end + 1))),
                 x_to = static_cast<std::ptrdiff_t>(std::floor(std::clamp(b - 0.5, -1.0, end)));
      auto* row = pixels.data() + static_cast<std::size_t>(y) * width;
      if (x_from <= x_to) std::fill(row + x_from, row + x_to + 1, pixel);
    }
  }

  Surface averaged() const {
    const auto w = width / kFiner, h = height / kFiner;
    auto image = make_surface(w, h);
    cairo_surface_flush(image.get());
    for (std::size_t y = 0; y < h; ++y) {
      poll_interrupt();
      auto* to = row_of(image.get(), y);
      for (std::size_t x = 0; x < w; ++x) {
        std::uint32_t sums[4] = {0, 0, 0, 0};
        for (std::size_t j = 0; j < kFiner; ++j)
          for (std::size_t i = 0; i < kFiner; ++i) {
            const auto pixel = pixels[(y * kFiner + j) * width + x * kFiner + i];
            for (int k = 0; k < 4; ++k) sums[k] += pixel >> (8 * k) & 0xff;
          }
        std::uint32_t mean = 0;
        for (int k = 0; k < 4; ++k) mean |= (sums[k] + kFiner * kFiner / 2) / (kFiner * kFiner) << (8 * k);
        std::memcpy(to + 4 * x, &mean, sizeof mean);
      }
    }
    cairo_surface_mark_dirty(image.get());
    return image;
  }
};

}  // namespace

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

PiecesPicture paint_pieces(const Quads& quads, double scale, const Rect& page) {
  double left = page.right(), top = page.bottom(), right = page.x, bottom = page.y;
  for (const auto& corners : quads.corners)
    for (const auto& p : corners) {
      left = std::min(left, p.x);
      top = std::min(top, p.y);
      right = std::max(right, p.x);
      bottom = std::max(bottom, p.y);
    }
  // Whole pixels of the page, so that nothing is smoothed twice.
  left = std::floor(std::max(left, page.x) * scale);
  top = std::floor(std::max(top, page.y) * scale);
  right = std::ceil(std::min(right, page.right()) * scale);
  bottom = std::ceil(std::min(bottom, page.bottom()) * scale);
  if (!(left < right && top < bottom)) return {};
  Canvas canvas(static_cast<std::size_t>(right - left) * kFiner,
                static_cast<std::size_t>(bottom - top) * kFiner);
  for (std::size_t k = 0; k < quads.corners.size(); ++k) {
    poll_interrupt_at(k);
    auto corner = quads.corners[k];
    for (auto& p : corner) p = {(p.x * scale - left) * kFiner, (p.y * scale - top) * kFiner};
    const auto pixel = pixel_of(quads.colors[k]);
    canvas.fill({corner[0], corner[1], corner[2]}, pixel);
    canvas.fill({corner[0], corner[2], corner[3]}, pixel);
  }
  return {canvas.averaged(), {left / scale, top / scale}, (right - left) / scale, (bottom - top) / scale};
}

}  // namespace quill
