#include "render/render.h"

#include <cairo.h>
#include <catch2/catch.hpp>
#include <cmath>
#include <cstring>

#include "base/error.h"
#include "figure/layout.h"

using namespace quill;

namespace {

Figure sample() {
  Figure f;
  f.name = "sample";
  f.width = 120;
  f.height = 80;
  Panel p;
  Layer line;
  for (int k = 0; k <= 50; ++k) {
    line.x.push_back(k * 0.1);
    line.y.push_back(std::sin(k * 0.1));
  }
  line.color = Color{1, 0, 0, 1};
  line.label = "sine of $\\phi$";
  p.layers = {line};
  p.x.title = "angle $\\phi$ (rad)";
  p.legend = "bottom left";
  f.panels = {p};
  return f;
}

struct Picture {
  int width = 0, height = 0;
  std::vector<unsigned char> rgb;
  bool is_red(int x, int y) const {
    const auto* p = &rgb[static_cast<std::size_t>(3 * (y * width + x))];
    return p[0] > 200 && p[1] < 90 && p[2] < 90;
  }
};

Picture read_png(const std::string& bytes) {
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
  Picture p;
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

}  // namespace

TEST_CASE("the same figure gives the same bytes in every format") {
  auto measurer = make_text_measurer();
  const auto list = lay_out(sample(), *measurer);
  auto other_measurer = make_text_measurer();
  const auto again = lay_out(sample(), *other_measurer);
  CHECK(dump(list) == dump(again));
  for (const std::string format : {"png", "svg", "pdf"}) {
    CAPTURE(format);
    const auto bytes = render(list, format, 150);
    CHECK(bytes.size() > 1000);
    CHECK(bytes == render(again, format, 150));
  }
  CHECK(render(list, "pdf", 150).starts_with("%PDF"));
  CHECK(render(list, "svg", 150).find("<svg") != std::string::npos);
}

TEST_CASE("a picture has its size and ink where the data is") {
  auto measurer = make_text_measurer();
  const auto list = lay_out(sample(), *measurer);
  const double dpi = 200;
  const auto picture = read_png(render(list, "png", dpi));
  CHECK(picture.width == std::lround(120 / 25.4 * dpi));
  CHECK(picture.height == std::lround(80 / 25.4 * dpi));
  const auto& panel = list.panels.at(0);
  for (double x = 0.2; x < 4.9; x += 0.3) {
    const double px =
        (panel.area.x + (x - panel.x.low) / (panel.x.high - panel.x.low) * panel.area.width) * dpi / 72;
    const double py = (panel.area.bottom() -
                       (std::sin(x) - panel.y.low) / (panel.y.high - panel.y.low) * panel.area.height) *
                      dpi / 72;
    CAPTURE(x, px, py);
    CHECK(picture.is_red(static_cast<int>(px), static_cast<int>(py)));
    // And paper a little above it.
    CHECK_FALSE(picture.is_red(static_cast<int>(px), static_cast<int>(py) - 12));
  }
}

TEST_CASE("texts are measured in proportion to their size") {
  auto measurer = make_text_measurer();
  const auto small = measurer->measure("temperature", {8}), large = measurer->measure("temperature", {16});
  CHECK(large.width == Approx(2 * small.width).epsilon(0.01));
  CHECK(small.ascent > 0);
  CHECK(small.descent > 0);
  CHECK(measurer->measure("", {8}).width == 0);
  CHECK(measurer->measure("11", {8}).width == Approx(measurer->measure("48", {8}).width));
}

TEST_CASE("pictures without a size are refused") {
  DisplayList list;
  CHECK_THROWS_AS(render(list, "png", 100), Error);
  list.width = list.height = 1e6;
  CHECK_THROWS_AS(render(list, "png", 100), Error);
}
