// Colour palettes for numbers.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "figure/color.h"

namespace quill {

enum class PaletteFamily : unsigned char { sequential, diverging, cyclic };

// Colours along a path through OKLCH. Sequential palettes darken monotonically from paper to ink; diverging
// ones are lightest in the middle; the cyclic one ends where it begins.
struct Palette {
  std::string_view name;
  PaletteFamily family;
  // Colour for 0 … 1, clamped.
  Color at(double share) const;
};
const Palette* find_palette(std::string_view name);
std::vector<std::string> palette_names();

}  // namespace quill
