// Figures as pixels and as characters, read back.
#include "render/pixels.h"

#include <catch2/catch.hpp>
#include <map>

#include "figure/layout.h"
#include "render/render.h"

using namespace quill;

namespace {

DisplayList pixel_page() {
  DisplayList list;
  list.width = 60;
  list.height = 36;
  list.items.emplace_back(FillRect{{0, 0, 60, 36}, {1, 1, 1, 1}});
  list.items.emplace_back(FillRect{{0, 0, 30, 18}, {1, 0, 0, 1}});
  list.items.emplace_back(FillRect{{30, 18, 30, 18}, {0, 0, 1, 1}});
  return list;
}

// What a terminal shows of sixels: colours by position, in percent.
std::map<std::pair<int, int>, std::array<int, 3>> read_sixels(const std::string& text) {
  std::map<std::pair<int, int>, std::array<int, 3>> out;
  std::map<int, std::array<int, 3>> palette;
  REQUIRE(text.starts_with("\x1bP"));
  REQUIRE(text.ends_with("\x1b\\"));
  auto at = text.find('q') + 1;
  const auto number = [&] {
    int n = 0;
    while (std::isdigit(static_cast<unsigned char>(text[at]))) n = 10 * n + (text[at++] - '0');
    return n;
  };
  int x = 0, y = 0, color = 0;
  while (text[at] != '\x1b') {
    const char c = text[at++];
    if (c == '"') {
      for (int k = 0; k < 4; ++k) {
        number();
        if (text[at] == ';') ++at;
      }
    } else if (c == '#') {
      color = number();
      if (text[at] == ';') {
        ++at;
        REQUIRE(number() == 2);
        for (auto& part : palette[color]) {
          ++at;
          part = number();
        }
      }
    } else if (c == '$') {
      x = 0;
    } else if (c == '-') {
      x = 0;
      y += 6;
    } else {
      int count = 1;
      char what = c;
      if (c == '!') {
        count = number();
        what = text[at++];
      }
      REQUIRE((what >= '?' && what <= '~'));
      for (; count > 0; --count, ++x)
        for (int k = 0; k < 6; ++k)
          if ((what - '?') >> k & 1) out[{x, y + k}] = palette.at(color);
    }
  }
  return out;
}

}  // namespace

TEST_CASE("pixels are those of the page") {
  const auto pixels = pixels_of(pixel_page(), 30);
  CHECK(pixels.width == 30);
  CHECK(pixels.height == 18);
  CHECK(pixels.at(3, 3) == std::array<std::uint8_t, 3>{255, 0, 0});
  CHECK(pixels.at(20, 3) == std::array<std::uint8_t, 3>{255, 255, 255});
  CHECK(pixels.at(20, 15) == std::array<std::uint8_t, 3>{0, 0, 255});
}

TEST_CASE("sixels show every pixel in nearly its colour") {
  const auto pixels = pixels_of(pixel_page(), 31);
  const auto shown = read_sixels(as_sixels(pixels));
  CHECK(shown.size() == static_cast<std::size_t>(pixels.width * pixels.height));
  for (const auto& [place, color] : shown)
    for (std::size_t k = 0; k < 3; ++k)
      CHECK(std::abs(color[k] * 2.55 - pixels.at(place.first, place.second)[k]) < 9);
}

TEST_CASE("half blocks have a line for two rows, and texts as letters") {
  auto list = pixel_page();
  const auto measurer = make_text_measurer();
  DrawnText text;
  text.at = {5, 10};
  text.line = lay_text("deep", {.size = 6}, *measurer);
  list.items.emplace_back(text);
  const auto picture = half_block_picture(list, 30);
  CHECK(std::count(picture.begin(), picture.end(), '\n') == 9);
  CHECK(picture.find("deep") != std::string::npos);
  CHECK(picture.find("\x1b[38;2;255;0;0m\x1b[48;2;255;0;0m▀") != std::string::npos);
  CHECK(picture.ends_with("\x1b[0m\n"));
}
