#include "figure/palette.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <span>

namespace quill {

namespace {

// Lightness, chroma and hue (degrees, which may run beyond a turn) at equal steps.
struct Stop {
  double lightness, chroma, hue;
};

// The sequential ones begin near the paper of a page, where low values melt into it, and end in deep ink.
// Their lightness falls in even steps; their hues take ways of their own: from the light of shallow water to
// bottle green, from raw to burnt clay, over moss, along a faint blue.
constexpr Stop kLagoon[] = {{0.985, 0.006, 85},  {0.875, 0.048, 232}, {0.760, 0.084, 226},
                            {0.640, 0.100, 215}, {0.515, 0.094, 200}, {0.395, 0.074, 184},
                            {0.275, 0.046, 168}};
constexpr Stop kKiln[] = {{0.985, 0.006, 85}, {0.875, 0.050, -14}, {0.760, 0.092, 2}, {0.640, 0.126, 18},
                          {0.515, 0.122, 33}, {0.395, 0.092, 45},  {0.275, 0.050, 55}};
constexpr Stop kMoss[] = {{0.985, 0.006, 85},  {0.875, 0.062, 101}, {0.760, 0.094, 108}, {0.640, 0.100, 116},
                          {0.515, 0.084, 125}, {0.395, 0.062, 134}, {0.275, 0.038, 148}};
constexpr Stop kSlate[] = {{0.985, 0.006, 85},  {0.875, 0.014, 240}, {0.760, 0.020, 250}, {0.640, 0.024, 255},
                           {0.515, 0.026, 258}, {0.395, 0.026, 260}, {0.275, 0.024, 262}};
constexpr Stop kRidge[] = {{0.36, 0.120, 252}, {0.53, 0.115, 245}, {0.72, 0.085, 238}, {0.955, 0.008, 90},
                           {0.74, 0.110, 62},  {0.58, 0.140, 48},  {0.42, 0.125, 36}};
constexpr Stop kTide[] = {{0.36, 0.075, 185}, {0.53, 0.090, 180}, {0.72, 0.080, 175}, {0.955, 0.008, 90},
                          {0.74, 0.100, 330}, {0.57, 0.140, 322}, {0.40, 0.140, 312}};
constexpr Stop kCompass[] = {{0.45, 0.110, 260}, {0.62, 0.110, 320}, {0.78, 0.110, 380}, {0.88, 0.110, 450},
                             {0.78, 0.110, 500}, {0.62, 0.110, 560}, {0.45, 0.110, 620}};

struct Path {
  Palette palette;
  std::span<const Stop> stops;
};
constexpr Path kPaths[] = {
    {{"lagoon", PaletteFamily::sequential}, kLagoon}, {{"kiln", PaletteFamily::sequential}, kKiln},
    {{"moss", PaletteFamily::sequential}, kMoss},     {{"slate", PaletteFamily::sequential}, kSlate},
    {{"ridge", PaletteFamily::diverging}, kRidge},    {{"tide", PaletteFamily::diverging}, kTide},
    {{"compass", PaletteFamily::cyclic}, kCompass}};

}  // namespace

namespace {

Color exact_color(PaletteFamily family, std::span<const Stop> stops, double share) {
  const double place = std::clamp(share, 0.0, 1.0) * static_cast<double>(stops.size() - 1);
  const auto k = std::min(static_cast<std::size_t>(place), stops.size() - 2);
  const double b = place - static_cast<double>(k), a = 1 - b;
  const auto &from = stops[k], &to = stops[k + 1];
  // Through the pale middle of a diverging palette, and away from the paper, the straight way, not around by
  // other hues.
  constexpr double far = 60;
  const bool is_pale = family == PaletteFamily::sequential && std::fabs(from.hue - to.hue) > far;
  if (family == PaletteFamily::diverging || is_pale) {
    const auto radians = [](double degrees) { return degrees * std::numbers::pi / 180; };
    const double x = a * from.chroma * std::cos(radians(from.hue)) +
                     b * to.chroma * std::cos(radians(to.hue)),
                 y = a * from.chroma * std::sin(radians(from.hue)) +
                     b * to.chroma * std::sin(radians(to.hue));
    return from_oklch(a * from.lightness + b * to.lightness, std::hypot(x, y),
                      std::atan2(y, x) * 180 / std::numbers::pi);
  }
  return from_oklch(a * from.lightness + b * to.lightness, a * from.chroma + b * to.chroma,
                    a * from.hue + b * to.hue);
}

// Finer than the eight bits of a pixel; a matrix needs millions of colours.
constexpr std::size_t kTableSize = 2048;

using Tables = std::array<std::vector<Color>, std::size(kPaths)>;

const Tables& tables() {
  static const Tables all = [] {
    Tables made;
    for (std::size_t p = 0; p < made.size(); ++p)
      for (std::size_t k = 0; k <= kTableSize; ++k)
        made[p].push_back(exact_color(kPaths[p].palette.family, kPaths[p].stops,
                                      static_cast<double>(k) / static_cast<double>(kTableSize)));
    return made;
  }();
  return all;
}

}  // namespace

Color Palette::at(double share) const {
  std::size_t p = 0;
  while (kPaths[p].palette.name.data() != name.data()) ++p;
  const auto k = std::lround(std::clamp(share, 0.0, 1.0) * static_cast<double>(kTableSize));
  return tables()[p][static_cast<std::size_t>(k)];
}

const Palette* find_palette(std::string_view name) {
  for (const auto& path : kPaths)
    if (path.palette.name == name) return &path.palette;
  return nullptr;
}

std::vector<std::string> palette_names() {
  std::vector<std::string> out;
  for (const auto& path : kPaths) out.emplace_back(path.palette.name);
  return out;
}

}  // namespace quill
