#include "render/pixels.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "base/error.h"
#include "render/painter.h"
#include "render/raster.h"

namespace quill {

Pixels pixels_of(const DisplayList& list, int width) {
  static PangoText text;
  Pixels out;
  const double scale = width / list.width;
  out.width = width;
  out.height = std::max(1, static_cast<int>(std::lround(list.height * scale)));
  const Surface surface(cairo_image_surface_create(CAIRO_FORMAT_RGB24, out.width, out.height));
  {
    const Cairo cr(cairo_create(surface.get()));
    paint(cr.get(), list, text, scale);
    if (cairo_status(cr.get()) != CAIRO_STATUS_SUCCESS) fail("the figure cannot be drawn here");
  }
  out.colors = colors_of(surface.get());
  return out;
}

namespace {

using Rgb = std::array<std::uint8_t, 3>;

// Up to 256 colours in which the picture is drawn, and the one of each pixel.
struct Indexed {
  std::vector<Rgb> palette;
  std::vector<std::uint8_t> places;
};

int distance(const Rgb& a, const Rgb& b) {
  int sum = 0;
  for (std::size_t k = 0; k < 3; ++k) sum += (a[k] - b[k]) * (a[k] - b[k]);
  return sum;
}

Indexed indexed(const Pixels& pixels) {
  // Shades within a few steps of each other are one.
  const auto coarse = [](const Rgb& c) {
    Rgb out;
    for (std::size_t k = 0; k < 3; ++k)
      out[k] = static_cast<std::uint8_t>(c[k] / 8 * 8 + (c[k] / 8 >= 16 ? 7 : 0));
    return out;
  };
  std::map<Rgb, int> counts;
  for (const auto& c : pixels.colors) ++counts[coarse(c)];
  std::vector<std::pair<int, Rgb>> frequent;
  for (const auto& [color, count] : counts) frequent.emplace_back(count, color);
  std::sort(frequent.begin(), frequent.end(), [](const auto& a, const auto& b) {
    return a.first != b.first ? a.first > b.first : a.second < b.second;
  });
  constexpr std::size_t most = 256;
  Indexed out;
  for (std::size_t k = 0; k < std::min(most, frequent.size()); ++k) out.palette.push_back(frequent[k].second);
  std::map<Rgb, std::uint8_t> nearest;
  for (const auto& [color, count] : counts) {
    int best = std::numeric_limits<int>::max();
    for (std::size_t k = 0; k < out.palette.size(); ++k)
      if (const int d = distance(color, out.palette[k]); d < best) {
        best = d;
        nearest[color] = static_cast<std::uint8_t>(k);
      }
  }
  for (const auto& c : pixels.colors) out.places.push_back(nearest.at(coarse(c)));
  return out;
}

// Repeated characters are written with their count.
void add_run(std::string& out, char what, int count) {
  if (count > 3)
    out += fmt::format("!{}{}", count, what);
  else
    out.append(static_cast<std::size_t>(count), what);
}

}  // namespace

std::string as_sixels(const Pixels& pixels) {
  const auto [palette, places] = indexed(pixels);
  auto out = fmt::format("\x1bP0;1q\"1;1;{};{}", pixels.width, pixels.height);
  const auto percent = [](std::uint8_t v) { return (v * 100 + 127) / 255; };
  for (std::size_t k = 0; k < palette.size(); ++k)
    out += fmt::format("#{};2;{};{};{}", k, percent(palette[k][0]), percent(palette[k][1]),
                       percent(palette[k][2]));
  const auto width = static_cast<std::size_t>(pixels.width);
  for (int top = 0; top < pixels.height; top += 6) {
    // The columns of six pixels of each colour that the band holds.
    std::map<std::uint8_t, std::string> bands;
    for (int dy = 0; dy < std::min(6, pixels.height - top); ++dy)
      for (std::size_t x = 0; x < width; ++x) {
        auto& band = bands[places[static_cast<std::size_t>(top + dy) * width + x]];
        if (band.empty()) band.assign(width, '\0');
        band[x] = static_cast<char>(band[x] | (1 << dy));
      }
    bool is_first = true;
    for (const auto& [color, band] : bands) {
      out += fmt::format("{}#{}", is_first ? "" : "$", color);
      is_first = false;
      for (std::size_t x = 0; x < width;) {
        auto end = x;
        while (end < width && band[end] == band[x]) ++end;
        if (end < width || band[x] != 0)
          add_run(out, static_cast<char>('?' + band[x]), static_cast<int>(end - x));
        x = end;
      }
    }
    out += '-';
  }
  return out + "\x1b\\";
}

namespace {

// A character that replaces two pixels.
struct Letter {
  std::string text;
  Rgb color;
};
using Letters = std::map<std::pair<int, int>, Letter>;  // by row and column

Rgb rgb_of(const Color& c) {
  const auto part = [](double v) {
    return static_cast<std::uint8_t>(std::lround(255 * std::clamp(v, 0.0, 1.0)));
  };
  return {part(c.red), part(c.green), part(c.blue)};
}

void add_letters(const DrawnText& text, double cell, Letters& letters) {
  const auto plain = text.line.plain();
  const auto box = text.box();
  std::vector<std::string> characters;
  for (std::size_t at = 0; at < plain.size();) {
    auto end = at + 1;
    while (end < plain.size() && (static_cast<unsigned char>(plain[end]) & 0xc0) == 0x80) ++end;
    characters.push_back(plain.substr(at, end - at));
    at = end;
  }
  // About its middle, since characters have another width here.
  const int row = static_cast<int>((box.y + box.height / 2) / (2 * cell));
  const int first = static_cast<int>(
      std::lround((box.x + box.width / 2) / cell - static_cast<double>(characters.size()) / 2));
  for (std::size_t k = 0; k < characters.size(); ++k)
    letters[{row, std::max(0, first) + static_cast<int>(k)}] = {characters[k], rgb_of(text.color)};
}

}  // namespace

std::string half_block_picture(const DisplayList& list, int columns) {
  DisplayList without_texts;
  without_texts.width = list.width;
  without_texts.height = list.height;
  without_texts.paper = list.paper;
  Letters letters;
  for (const Drawn& item : list.items) {
    const auto* text = std::get_if<DrawnText>(&item);
    if (!text)
      without_texts.items.emplace_back(item);
    else if (text->angle == 0)
      add_letters(*text, list.width / columns, letters);
  }
  const auto pixels = pixels_of(without_texts, columns);
  std::string out;
  for (int y = 0; y < pixels.height; y += 2) {
    Rgb fore{}, back{};
    bool is_first = true;
    for (int x = 0; x < pixels.width; ++x) {
      auto upper = pixels.at(x, y);
      const auto lower = y + 1 < pixels.height ? pixels.at(x, y + 1) : upper;
      const auto letter = letters.find({y / 2, x});
      if (letter != letters.end()) upper = letter->second.color;
      if (is_first || upper != fore) out += fmt::format("\x1b[38;2;{};{};{}m", upper[0], upper[1], upper[2]);
      if (is_first || lower != back) out += fmt::format("\x1b[48;2;{};{};{}m", lower[0], lower[1], lower[2]);
      fore = upper;
      back = lower;
      is_first = false;
      out += letter != letters.end() ? letter->second.text : "▀";
    }
    out += "\x1b[0m\n";
  }
  return out;
}

}  // namespace quill
