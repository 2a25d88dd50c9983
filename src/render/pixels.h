// A display list as pixels, and pixels as what terminals draw.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "figure/display.h"

namespace quill {

struct Pixels {
  int width = 0, height = 0;
  std::vector<std::array<std::uint8_t, 3>> colors;  // row by row
  const std::array<std::uint8_t, 3>& at(int x, int y) const {
    return colors[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                  static_cast<std::size_t>(x)];
  }
};
// The page, so many pixels wide.
Pixels pixels_of(const DisplayList& list, int width);

// For terminals that understand sixels (DEC STD 070): up to 256 colours, the most frequent ones of the
// picture.
std::string as_sixels(const Pixels& pixels);
// For all others, so many columns wide: two pixels in each character, as upper half blocks (U+2580) in 24-bit
// colours, and texts that stand upright as themselves. A line each.
std::string half_block_picture(const DisplayList& list, int columns);

}  // namespace quill
