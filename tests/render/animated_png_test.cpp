// Animated PNG: put together again, every frame is the picture of its page.
#include "render/animated_png.h"

#include <random>

#include "../figure/laid_out.h"
#include "base/png_chunk.h"
#include "png.h"
#include "render/picture.h"

using namespace quill;

namespace {

std::uint32_t word(std::string_view bytes, std::size_t at) {
  std::uint32_t out = 0;
  for (std::size_t k = 0; k < 4; ++k) out = out << 8 | static_cast<unsigned char>(bytes[at + k]);
  return out;
}

struct Frame {
  std::uint32_t width, height, left, top;
  std::string packed;
};

struct Animation {
  std::string header;  // signature and IHDR
  std::uint32_t count = 0, plays = 1;
  std::vector<Frame> frames;
};

// By the standard: control chunks, numbers in sequence, pixels of the first frame in IDAT.
Animation read_animation(const std::string& png) {
  Animation out;
  std::uint32_t sequence = 0;
  REQUIRE(png.starts_with("\x89PNG\r\n\x1a\n"));
  out.header = png.substr(0, 33);
  for (std::size_t at = 8; at < png.size();) {
    const auto length = word(png, at);
    const auto type = png.substr(at + 4, 4), data = png.substr(at + 8, length);
    if (type == "acTL") {
      out.count = word(data, 0);
      out.plays = word(data, 4);
    } else if (type == "fcTL") {
      CHECK(word(data, 0) == sequence++);
      out.frames.push_back({word(data, 4), word(data, 8), word(data, 12), word(data, 16), ""});
      CHECK((data[24] == 0 && data[25] == 0));
    } else if (type == "IDAT") {
      out.frames.back().packed += data;
    } else if (type == "fdAT") {
      CHECK(word(data, 0) == sequence++);
      out.frames.back().packed += data.substr(4);
    }
    at += length + 12;
    if (type == "IEND") CHECK(at == png.size());
  }
  return out;
}

// A frame as a PNG of its own.
std::string still(const Animation& animation, const Frame& frame) {
  std::string header = animation.header.substr(16, 13);
  const auto put = [&](std::size_t at, std::uint32_t v) {
    for (int k = 0; k < 4; ++k)
      header[at + static_cast<std::size_t>(k)] = static_cast<char>(v >> (24 - 8 * k) & 0xff);
  };
  put(0, frame.width);
  put(4, frame.height);
  std::string out = animation.header.substr(0, 8);
  append_png_chunk(out, "IHDR", header);
  append_png_chunk(out, "IDAT", frame.packed);
  append_png_chunk(out, "IEND", "");
  return out;
}

}  // namespace

TEST_CASE("every frame of an animated PNG is the picture of its page, and only what changes is written") {
  std::mt19937 random(6);
  std::vector<DisplayList> pages;
  for (int k = 0; k < 7; ++k) {
    DisplayList page;
    page.width = 120;
    page.height = 80;
    page.paper = {1, 1, 1};
    // One frame is the same as the one before.
    if (k == 4)
      page.items = pages.back().items;
    else
      for (int j = 0; j < 3; ++j)
        page.items.emplace_back(
            FillRect{{static_cast<double>(random() % 100), static_cast<double>(random() % 60), 14, 9},
                     {0.2 * j, 0.5, 0.1 * k}});
    pages.push_back(page);
  }
  constexpr double dpi = 96;
  const auto png = animated_png([&](std::size_t k) { return pages[k]; }, pages.size(), dpi, 12);
  const auto animation = read_animation(png);
  CHECK(animation.count == pages.size());
  CHECK(animation.plays == 0);
  REQUIRE(animation.frames.size() == pages.size());
  auto canvas = test::read_png(still(animation, animation.frames[0]));
  for (std::size_t k = 0; k < pages.size(); ++k) {
    const auto& frame = animation.frames[k];
    const auto part = test::read_png(still(animation, frame));
    for (std::size_t y = 0; y < frame.height; ++y)
      for (std::size_t x = 0; x < 3 * static_cast<std::size_t>(frame.width); ++x)
        canvas.rgb[3 * ((frame.top + y) * static_cast<std::size_t>(canvas.width) + frame.left) + x] =
            part.rgb[3 * y * frame.width + x];
    const auto surface = painted(pages[k], dpi);
    const auto wanted = test::read_png(png_of(surface.get(), pages[k], dpi));
    CHECK(canvas.rgb == wanted.rgb);
  }
  CHECK((animation.frames[4].width == 1 && animation.frames[4].height == 1));
  // Viewers that know no animations see the first frame.
  CHECK(test::read_png(png).rgb == test::read_png(still(animation, animation.frames[0])).rgb);
}
