#include "render/animated_png.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/interrupt.h"
#include "base/png_chunk.h"
#include "render/picture.h"

namespace quill {

namespace {

std::string big_endian(std::uint32_t v, int bytes = 4) {
  std::string out;
  for (int shift = 8 * (bytes - 1); shift >= 0; shift -= 8) out += static_cast<char>(v >> shift & 0xff);
  return out;
}

std::uint32_t number_at(std::string_view bytes, std::size_t at) {
  std::uint32_t out = 0;
  for (std::size_t k = 0; k < 4; ++k) out = out << 8 | static_cast<unsigned char>(bytes[at + k]);
  return out;
}

// The packed pixels of a PNG that was written here.
std::string packed_pixels(std::string_view png) {
  std::string out;
  for (std::size_t at = 8; at + 12 <= png.size();) {
    const auto length = number_at(png, at);
    if (png.substr(at + 4, 4) == "IDAT") out += png.substr(at + 8, length);
    at += length + 12;
  }
  return out;
}

struct PixelBox {
  std::size_t left = 0, top = 0, width = 1, height = 1;
};

// The rectangle in which two pictures of one size differ; one pixel when they do not.
PixelBox changed_part(cairo_surface_t* before, cairo_surface_t* now) {
  const auto width = static_cast<std::size_t>(cairo_image_surface_get_width(now)),
             height = static_cast<std::size_t>(cairo_image_surface_get_height(now));
  std::size_t left = width, right = 0, top = height, bottom = 0;
  for (std::size_t y = 0; y < height; ++y) {
    const auto *a = row_of(before, y), *b = row_of(now, y);
    if (std::memcmp(a, b, 4 * width) == 0) continue;
    top = std::min(top, y);
    bottom = y + 1;
    for (std::size_t x = 0; x < width; ++x)
      if (std::memcmp(a + 4 * x, b + 4 * x, 3) != 0) {
        left = std::min(left, x);
        right = std::max(right, x + 1);
      }
  }
  if (left >= right || top >= bottom) return {};
  return {left, top, right - left, bottom - top};
}

Surface cut_out(cairo_surface_t* from, const PixelBox& part) {
  Surface out(cairo_image_surface_create(CAIRO_FORMAT_RGB24, static_cast<int>(part.width),
                                         static_cast<int>(part.height)));
  cairo_surface_flush(out.get());
  for (std::size_t y = 0; y < part.height; ++y)
    std::memcpy(row_of(out.get(), y), row_of(from, part.top + y) + 4 * part.left, 4 * part.width);
  cairo_surface_mark_dirty(out.get());
  return out;
}

}  // namespace

std::string animated_png(const std::function<DisplayList(std::size_t)>& frame, std::size_t count, double dpi,
                         double frame_rate) {
  std::string out, first;
  std::uint32_t sequence = 0;
  const auto add = [&out](std::string_view type, const std::string& data) {
    append_png_chunk(out, type, data);
  };
  const auto control = [&](const PixelBox& part) {
    constexpr std::uint32_t thousandths = 1000;
    add("fcTL", big_endian(sequence++) + big_endian(static_cast<std::uint32_t>(part.width)) +
                    big_endian(static_cast<std::uint32_t>(part.height)) +
                    big_endian(static_cast<std::uint32_t>(part.left)) +
                    big_endian(static_cast<std::uint32_t>(part.top)) +
                    big_endian(static_cast<std::uint32_t>(std::lround(thousandths / frame_rate)), 2) +
                    big_endian(thousandths, 2) + std::string(2, '\0'));
  };
  Surface before;
  for (std::size_t k = 0; k < count; ++k) {
    poll_interrupt();
    auto list = frame(k);
    auto now = painted(list, dpi);
    if (k == 0) {
      first = png_of(now.get(), list, dpi);
      // Chunks before the pixels, then the number of frames and of repetitions (infinite).
      const auto pixels = first.find("IDAT");
      out = first.substr(0, pixels - 4);
      add("acTL", big_endian(static_cast<std::uint32_t>(count)) + big_endian(0));
      control({0, 0, number_at(first, 16), number_at(first, 20)});
      add("IDAT", packed_pixels(first));
    } else {
      const auto part = changed_part(before.get(), now.get());
      control(part);
      DisplayList none;
      add("fdAT", big_endian(sequence++) + packed_pixels(png_of(cut_out(now.get(), part).get(), none, dpi)));
    }
    before = std::move(now);
  }
  add("IEND", "");
  return out;
}

}  // namespace quill
