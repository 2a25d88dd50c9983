// Colours: CSS names, the colour cycle of figures, and measures of difference.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace quill {

// sRGB components and opacity, each from 0 to 1.
struct Color {
  double red = 0, green = 0, blue = 0, alpha = 1;
  bool operator==(const Color&) const = default;
};

// A CSS colour name, "#rgb", "#rrggbb" or "#rrggbbaa"; nothing for other texts.
std::optional<Color> parse_color(std::string_view text);
std::vector<std::string> color_names();
std::string hex_of(const Color& color);

// OKLab (B. Ottosson, 2020): lightness 0 to 1 and two opponent axes; distances approximate perceived
// differences.
struct OkLab {
  double lightness = 0, a = 0, b = 0;
};
OkLab to_oklab(const Color& color);
Color from_oklch(double lightness, double chroma, double hue_degrees);
double distance(const Color& a, const Color& b);

enum class Vision { full, protanopia, deuteranopia, greyscale };
// The colour as perceived with a colour vision deficiency (G. M. Machado, M. M. Oliveira, L. A. F. Fernandes,
// 2009, severity 1).
Color simulated(const Color& color, Vision vision);

}  // namespace quill
