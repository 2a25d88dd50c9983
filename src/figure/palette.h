// Palettes: colours for numbers, of our own making.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "figure/color.h"

namespace quill {

enum class PaletteFamily : unsigned char { sequential, diverging, cyclic };

// Colours along a path through OKLCH. Sequential ones grow darker all the way, from paper to ink; diverging
// ones are lightest in the middle; the cyclic one ends where it begins.
struct Palette {
  std::string_view name;
  PaletteFamily family;
  // The colour at 0 … 1; the ends beyond.
  Color at(double share) const;
};
const Palette* find_palette(std::string_view name);
std::vector<std::string> palette_names();

}  // namespace quill
