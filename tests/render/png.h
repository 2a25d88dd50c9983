// Reading a PNG back into pixels.
#pragma once

#include <cairo.h>
#include <catch2/catch.hpp>
#include <cstring>
#include <string>
#include <vector>

namespace quill::test {

struct PngPicture {
  int width = 0, height = 0;
  std::vector<unsigned char> rgb;
  const unsigned char* at(int x, int y) const { return &rgb[static_cast<std::size_t>(3 * (y * width + x))]; }
  bool is_red(int x, int y) const {
    const auto* p = at(x, y);
    return p[0] > 200 && p[1] < 90 && p[2] < 90;
  }
};

inline PngPicture read_png(const std::string& bytes) {
  struct Source {
    const std::string* bytes;
    std::size_t at;
  } source{&bytes, 0};
  auto* surface = cairo_image_surface_create_from_png_stream(
      [](void* closure, unsigned char* data, unsigned int length) {
        auto* s = static_cast<Source*>(closure);
        if (s->at + length > s->bytes->size()) return CAIRO_STATUS_READ_ERROR;
        std::memcpy(data, s->bytes->data() + s->at, length);
        s->at += length;
        return CAIRO_STATUS_SUCCESS;
      },
      &source);
  REQUIRE(cairo_surface_status(surface) == CAIRO_STATUS_SUCCESS);
  PngPicture p;
  p.width = cairo_image_surface_get_width(surface);
  p.height = cairo_image_surface_get_height(surface);
  const auto* data = cairo_image_surface_get_data(surface);
  const int stride = cairo_image_surface_get_stride(surface);
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x)
      for (int c = 2; c >= 0; --c) p.rgb.push_back(data[y * stride + 4 * x + c]);
  cairo_surface_destroy(surface);
  return p;
}

}  // namespace quill::test
