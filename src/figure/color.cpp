#include "figure/color.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <numbers>

namespace quill {

namespace {

struct NamedColor {
  std::string_view name;
  std::uint32_t rgb;
};

// The named colours of CSS Color Module Level 4.
constexpr NamedColor kNamed[] = {
    {"aliceblue", 0xf0f8ff},
    {"antiquewhite", 0xfaebd7},
    {"aqua", 0x00ffff},
    {"aquamarine", 0x7fffd4},
    {"azure", 0xf0ffff},
    {"beige", 0xf5f5dc},
    {"bisque", 0xffe4c4},
    {"black", 0x000000},
    {"blanchedalmond", 0xffebcd},
    {"blue", 0x0000ff},
    {"blueviolet", 0x8a2be2},
    {"brown", 0xa52a2a},
    {"burlywood", 0xdeb887},
    {"cadetblue", 0x5f9ea0},
    {"chartreuse", 0x7fff00},
    {"chocolate", 0xd2691e},
    {"coral", 0xff7f50},
    {"cornflowerblue", 0x6495ed},
    {"cornsilk", 0xfff8dc},
    {"crimson", 0xdc143c},
    {"cyan", 0x00ffff},
    {"darkblue", 0x00008b},
    {"darkcyan", 0x008b8b},
    {"darkgoldenrod", 0xb8860b},
    {"darkgray", 0xa9a9a9},
    {"darkgreen", 0x006400},
    {"darkgrey", 0xa9a9a9},
    {"darkkhaki", 0xbdb76b},
    {"darkmagenta", 0x8b008b},
    {"darkolivegreen", 0x556b2f},
    {"darkorange", 0xff8c00},
    {"darkorchid", 0x9932cc},
    {"darkred", 0x8b0000},
    {"darksalmon", 0xe9967a},
    {"darkseagreen", 0x8fbc8f},
    {"darkslateblue", 0x483d8b},
    {"darkslategray", 0x2f4f4f},
    {"darkslategrey", 0x2f4f4f},
    {"darkturquoise", 0x00ced1},
    {"darkviolet", 0x9400d3},
    {"deeppink", 0xff1493},
    {"deepskyblue", 0x00bfff},
    {"dimgray", 0x696969},
    {"dimgrey", 0x696969},
    {"dodgerblue", 0x1e90ff},
    {"firebrick", 0xb22222},
    {"floralwhite", 0xfffaf0},
    {"forestgreen", 0x228b22},
    {"fuchsia", 0xff00ff},
    {"gainsboro", 0xdcdcdc},
    {"ghostwhite", 0xf8f8ff},
    {"gold", 0xffd700},
    {"goldenrod", 0xdaa520},
    {"gray", 0x808080},
    {"green", 0x008000},
    {"greenyellow", 0xadff2f},
    {"grey", 0x808080},
    {"honeydew", 0xf0fff0},
    {"hotpink", 0xff69b4},
    {"indianred", 0xcd5c5c},
    {"indigo", 0x4b0082},
    {"ivory", 0xfffff0},
    {"khaki", 0xf0e68c},
    {"lavender", 0xe6e6fa},
    {"lavenderblush", 0xfff0f5},
    {"lawngreen", 0x7cfc00},
    {"lemonchiffon", 0xfffacd},
    {"lightblue", 0xadd8e6},
    {"lightcoral", 0xf08080},
    {"lightcyan", 0xe0ffff},
    {"lightgoldenrodyellow", 0xfafad2},
    {"lightgray", 0xd3d3d3},
    {"lightgreen", 0x90ee90},
    {"lightgrey", 0xd3d3d3},
    {"lightpink", 0xffb6c1},
    {"lightsalmon", 0xffa07a},
    {"lightseagreen", 0x20b2aa},
    {"lightskyblue", 0x87cefa},
    {"lightslategray", 0x778899},
    {"lightslategrey", 0x778899},
    {"lightsteelblue", 0xb0c4de},
    {"lightyellow", 0xffffe0},
    {"lime", 0x00ff00},
    {"limegreen", 0x32cd32},
    {"linen", 0xfaf0e6},
    {"magenta", 0xff00ff},
    {"maroon", 0x800000},
    {"mediumaquamarine", 0x66cdaa},
    {"mediumblue", 0x0000cd},
    {"mediumorchid", 0xba55d3},
    {"mediumpurple", 0x9370db},
    {"mediumseagreen", 0x3cb371},
    {"mediumslateblue", 0x7b68ee},
    {"mediumspringgreen", 0x00fa9a},
    {"mediumturquoise", 0x48d1cc},
    {"mediumvioletred", 0xc71585},
    {"midnightblue", 0x191970},
    {"mintcream", 0xf5fffa},
    {"mistyrose", 0xffe4e1},
    {"moccasin", 0xffe4b5},
    {"navajowhite", 0xffdead},
    {"navy", 0x000080},
    {"oldlace", 0xfdf5e6},
    {"olive", 0x808000},
    {"olivedrab", 0x6b8e23},
    {"orange", 0xffa500},
    {"orangered", 0xff4500},
    {"orchid", 0xda70d6},
    {"palegoldenrod", 0xeee8aa},
    {"palegreen", 0x98fb98},
    {"paleturquoise", 0xafeeee},
    {"palevioletred", 0xdb7093},
    {"papayawhip", 0xffefd5},
    {"peachpuff", 0xffdab9},
    {"peru", 0xcd853f},
    {"pink", 0xffc0cb},
    {"plum", 0xdda0dd},
    {"powderblue", 0xb0e0e6},
    {"purple", 0x800080},
    {"rebeccapurple", 0x663399},
    {"red", 0xff0000},
    {"rosybrown", 0xbc8f8f},
    {"royalblue", 0x4169e1},
    {"saddlebrown", 0x8b4513},
    {"salmon", 0xfa8072},
    {"sandybrown", 0xf4a460},
    {"seagreen", 0x2e8b57},
    {"seashell", 0xfff5ee},
    {"sienna", 0xa0522d},
    {"silver", 0xc0c0c0},
    {"skyblue", 0x87ceeb},
    {"slateblue", 0x6a5acd},
    {"slategray", 0x708090},
    {"slategrey", 0x708090},
    {"snow", 0xfffafa},
    {"springgreen", 0x00ff7f},
    {"steelblue", 0x4682b4},
    {"tan", 0xd2b48c},
    {"teal", 0x008080},
    {"thistle", 0xd8bfd8},
    {"tomato", 0xff6347},
    {"turquoise", 0x40e0d0},
    {"violet", 0xee82ee},
    {"wheat", 0xf5deb3},
    {"white", 0xffffff},
    {"whitesmoke", 0xf5f5f5},
    {"yellow", 0xffff00},
    {"yellowgreen", 0x9acd32},
};

Color of_rgb(std::uint32_t rgb) {
  const auto part = [&](int shift) { return static_cast<double>((rgb >> shift) & 255) / 255; };
  return {part(16), part(8), part(0), 1};
}

int hex_digit(char c) {
  if (c >= '0' && c <= '9') return c - '0';
  if (c >= 'a' && c <= 'f') return c - 'a' + 10;
  if (c >= 'A' && c <= 'F') return c - 'A' + 10;
  return -1;
}

double linear(double s) { return s <= 0.04045 ? s / 12.92 : std::pow((s + 0.055) / 1.055, 2.4); }
double gamma(double l) { return l <= 0.0031308 ? 12.92 * l : 1.055 * std::pow(l, 1 / 2.4) - 0.055; }

}  // namespace

std::optional<Color> parse_color(std::string_view text) {
  if (text.starts_with('#')) {
    text.remove_prefix(1);
    std::vector<int> digits;
    for (const char c : text) {
      digits.push_back(hex_digit(c));
      if (digits.back() < 0) return std::nullopt;
    }
    if (digits.size() == 3) return Color{digits[0] / 15.0, digits[1] / 15.0, digits[2] / 15.0, 1};
    if (digits.size() != 6 && digits.size() != 8) return std::nullopt;
    const auto pair = [&](std::size_t i) { return (digits[2 * i] * 16 + digits[2 * i + 1]) / 255.0; };
    return Color{pair(0), pair(1), pair(2), digits.size() == 8 ? pair(3) : 1};
  }
  for (const auto& named : kNamed)
    if (named.name == text) return of_rgb(named.rgb);
  return std::nullopt;
}

std::vector<std::string> color_names() {
  std::vector<std::string> out;
  for (const auto& named : kNamed) out.emplace_back(named.name);
  return out;
}

std::string hex_of(const Color& c) {
  const auto byte = [](double v) { return static_cast<int>(std::lround(std::clamp(v, 0.0, 1.0) * 255)); };
  return fmt::format("#{:02x}{:02x}{:02x}", byte(c.red), byte(c.green), byte(c.blue));
}

OkLab to_oklab(const Color& c) {
  const double r = linear(c.red), g = linear(c.green), b = linear(c.blue);
  const double l = std::cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const double m = std::cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const double s = std::cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  return {0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
          1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
          0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s};
}

Color from_oklch(double lightness, double chroma, double hue) {
  const double h = hue * std::numbers::pi / 180;
  const auto convert = [&](double ch) {
    const double a = ch * std::cos(h), b = ch * std::sin(h);
    const double l = std::pow(lightness + 0.3963377774 * a + 0.2158037573 * b, 3),
                 m = std::pow(lightness - 0.1055613458 * a - 0.0638541728 * b, 3),
                 s = std::pow(lightness - 0.0894841775 * a - 1.2914855480 * b, 3);
    return Color{gamma(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s),
                 gamma(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s),
                 gamma(-0.0041960863 * l - 0.7034186147 * m + 1.7076147010 * s), 1};
  };
  const auto inside = [](const Color& c) {
    return std::min({c.red, c.green, c.blue}) >= -1e-4 && std::max({c.red, c.green, c.blue}) <= 1 + 1e-4;
  };
  // Outside of sRGB the chroma is lowered until the colour fits; lightness and hue stay.
  double low = 0, high = chroma;
  if (!inside(convert(chroma))) {
    for (int k = 0; k < 40; ++k) (inside(convert((low + high) / 2)) ? low : high) = (low + high) / 2;
  } else
    low = chroma;
  auto c = convert(low);
  c.red = std::clamp(c.red, 0.0, 1.0), c.green = std::clamp(c.green, 0.0, 1.0),
  c.blue = std::clamp(c.blue, 0.0, 1.0);
  return c;
}

double distance(const Color& x, const Color& y) {
  const auto p = to_oklab(x), q = to_oklab(y);
  return std::hypot(p.lightness - q.lightness, p.a - q.a, p.b - q.b);
}

Color simulated(const Color& c, Vision vision) {
  const double r = linear(c.red), g = linear(c.green), b = linear(c.blue);
  const auto of = [&](double x, double y, double z) {
    return Color{gamma(std::clamp(x, 0.0, 1.0)), gamma(std::clamp(y, 0.0, 1.0)),
                 gamma(std::clamp(z, 0.0, 1.0)), c.alpha};
  };
  switch (vision) {
    case Vision::protanopia:
      return of(0.152286 * r + 1.052583 * g - 0.204868 * b, 0.114503 * r + 0.786281 * g + 0.099216 * b,
                -0.003882 * r - 0.048116 * g + 1.051998 * b);
    case Vision::deuteranopia:
      return of(0.367322 * r + 0.860646 * g - 0.227968 * b, 0.280085 * r + 0.672501 * g + 0.047413 * b,
                -0.011820 * r + 0.042940 * g + 0.968881 * b);
    case Vision::greyscale: {
      const double y = 0.2126 * r + 0.7152 * g + 0.0722 * b;
      return of(y, y, y);
    }
    default: return c;
  }
}

}  // namespace quill
