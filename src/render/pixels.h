// Display lists as pixels, and pixels as terminal graphics.
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
// The page at a width in pixels.
Pixels pixels_of(const DisplayList& list, int width);

// Sixel graphics (DEC STD 070) with the 256 most frequent colours of the image.
std::string as_sixels(const Pixels& pixels);
// For other terminals: each character shows two pixels as an upper half block (U+2580) in 24-bit colours;
// horizontal texts are shown as text. One line each.
std::string half_block_picture(const DisplayList& list, int columns);

}  // namespace quill
