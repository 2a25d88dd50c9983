#include "render/pieces.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numeric>

#include "base/interrupt.h"

namespace quill {

namespace {

constexpr int kFiner = 3;                       // samples along each side of a pixel
constexpr std::size_t kMostSamples = 12000000;  // at once

// A colour over another one that is opaque.
std::uint32_t over(const Color& top, const Color& ground) {
  const auto mixed = [&](double a, double b) { return a * top.alpha + b * (1 - top.alpha); };
  return pixel_of(
      {mixed(top.red, ground.red), mixed(top.green, ground.green), mixed(top.blue, ground.blue), 1});
}

// Blends `top` over `low`, both premultiplied.
std::uint32_t under(std::uint32_t top, std::uint32_t low) {
  const auto rest = 255 - (top >> 24);
  std::uint32_t mixed = 0;
  for (int shift = 0; shift < 32; shift += 8)
    mixed |= std::min(255U, (top >> shift & 0xff) + ((low >> shift & 0xff) * rest + 127) / 255) << shift;
  return mixed;
}

}  // namespace

void PieceCanvas::begin(std::size_t width, std::size_t height) {
  if (width == width_ && height == height_) return;  // as it was left: empty
  width_ = width;
  height_ = height;
  samples_.assign(width * height, 0);
  next_.resize(width * (height + 1));
  for (std::size_t x = 0; x < width; ++x)
    std::iota(next_.begin() + static_cast<std::ptrdiff_t>(x * (height + 1)),
              next_.begin() + static_cast<std::ptrdiff_t>((x + 1) * (height + 1)), 0U);
  touched_.assign(width, {static_cast<std::uint32_t>(height), 0});
}

namespace {

// The first uncovered sample from an index on.
std::uint32_t open_from(std::uint32_t* next, std::uint32_t at) {
  while (next[at] != at) {
    next[at] = next[next[at]];
    at = next[at];
  }
  return at;
}

}  // namespace

void PieceCanvas::fill_column(std::size_t x, std::size_t from, std::size_t to, std::uint32_t pixel) {
  auto& [low, high] = touched_[x];
  low = std::min(low, static_cast<std::uint32_t>(from));
  high = std::max(high, static_cast<std::uint32_t>(to) + 1);
  auto* next = next_.data() + x * (height_ + 1);
  auto* column = samples_.data() + x * height_;
  for (auto y = open_from(next, static_cast<std::uint32_t>(from)); y <= to; y = open_from(next, y + 1)) {
    column[y] = column[y] == 0 ? pixel : under(column[y], pixel);
    // All up to the end is covered now, unless something shines through.
    if (column[y] >> 24 == 0xff) next[y] = pixel >> 24 == 0xff ? static_cast<std::uint32_t>(to) + 1 : y + 1;
  }
}

// Every sample whose centre is inside the triangle.
void PieceCanvas::fill(const Point (&t)[3], std::uint32_t pixel) {
  const auto [low, high] = std::minmax({t[0].x, t[1].x, t[2].x});
  const auto last = static_cast<double>(width_) - 1, end = static_cast<double>(height_) - 1;
  const auto from = static_cast<std::ptrdiff_t>(std::ceil(std::clamp(low - 0.5, 0.0, last + 1))),
             to = static_cast<std::ptrdiff_t>(std::floor(std::clamp(high - 0.5, -1.0, last)));
  for (auto x = from; x <= to; ++x) {
    const double at = static_cast<double>(x) + 0.5;
    double a = INFINITY, b = -INFINITY;
    for (int e = 0; e < 3; ++e) {
      const auto &p = t[e], &r = t[(e + 1) % 3];
      if ((p.x < at && r.x < at) || (p.x > at && r.x > at)) continue;
      const double y = p.x == r.x ? p.y : p.y + (at - p.x) / (r.x - p.x) * (r.y - p.y);
      a = std::min({a, y, p.x == r.x ? r.y : y});
      b = std::max({b, y, p.x == r.x ? r.y : y});
    }
    if (!(a <= b)) continue;
    const auto y_from = static_cast<std::ptrdiff_t>(std::ceil(std::clamp(a - 0.5, 0.0, end + 1))),
               y_to = static_cast<std::ptrdiff_t>(std::floor(std::clamp(b - 0.5, -1.0, end)));
    if (y_from <= y_to)
      fill_column(static_cast<std::size_t>(x), static_cast<std::size_t>(y_from),
                  static_cast<std::size_t>(y_to), pixel);
  }
}

void PieceCanvas::add(const std::array<Point, 4>& c, std::uint32_t pixel) {
  fill({c[0], c[1], c[2]}, pixel);
  fill({c[0], c[2], c[3]}, pixel);
}

void PieceCanvas::outline(const std::array<Point, 4>& c, double line_width, std::uint32_t pixel) {
  for (std::size_t k = 0; k < 4; ++k) {
    const auto &a = c[k], &b = c[(k + 1) % 4];
    const double length = std::hypot(b.x - a.x, b.y - a.y);
    if (!(length > 0)) continue;
    const double u = (b.x - a.x) / length * line_width / 2, v = (b.y - a.y) / length * line_width / 2;
    add({Point{a.x - v, a.y + u}, {a.x + v, a.y - u}, {b.x + v, b.y - u}, {b.x - v, b.y + u}}, pixel);
  }
}

void PieceCanvas::finish(cairo_surface_t* surface, std::size_t left, std::size_t top) {
  for (std::size_t x = 0; x < width_; x += kFiner) {
    std::uint32_t from = static_cast<std::uint32_t>(height_), to = 0;
    for (std::size_t i = 0; i < kFiner; ++i) {
      from = std::min(from, touched_[x + i].first);
      to = std::max(to, touched_[x + i].second);
    }
    if (from >= to) continue;
    for (std::size_t y = from / kFiner; y * kFiner < to; ++y) {
      std::uint32_t sums[4] = {0, 0, 0, 0};
      for (std::size_t i = 0; i < kFiner; ++i)
        for (std::size_t j = 0; j < kFiner; ++j) {
          const auto sample = samples_[(x + i) * height_ + y * kFiner + j];
          for (int k = 0; k < 4; ++k) sums[k] += sample >> (8 * k) & 0xff;
        }
      std::uint32_t mean = 0, ground = 0;
      for (int k = 0; k < 4; ++k) mean |= (sums[k] + kFiner * kFiner / 2) / (kFiner * kFiner) << (8 * k);
      auto* at = row_of(surface, top + y) + 4 * (left + x / kFiner);
      std::memcpy(&ground, at, sizeof ground);
      ground = under(mean, ground);
      std::memcpy(at, &ground, sizeof ground);
    }
    for (std::size_t i = x; i < x + kFiner; ++i) {
      const auto start = static_cast<std::ptrdiff_t>(i * height_);
      std::fill(samples_.begin() + start + from, samples_.begin() + start + to, 0);
      const auto links = next_.begin() + static_cast<std::ptrdiff_t>(i * (height_ + 1));
      std::iota(links + from, links + to, from);
      touched_[i] = {static_cast<std::uint32_t>(height_), 0};
    }
  }
}

void PieceCanvas::stamp(cairo_surface_t* surface, const Quads& quads, double scale, const Rect& pixels) {
  if (!(pixels.width >= 1 && pixels.height >= 1)) return;
  cairo_surface_flush(surface);
  const auto width = static_cast<std::size_t>(pixels.width), height = static_cast<std::size_t>(pixels.height);
  const auto strip = std::clamp<std::size_t>(kMostSamples / (height * kFiner * kFiner), 1, width);
  const double line_width = quads.mesh * scale * kFiner;
  const bool is_opaque_mesh = is_opaque(quads);
  for (std::size_t first = 0; first < width; first += strip) {
    const auto columns = std::min(strip, width - first);
    begin(columns * kFiner, height * kFiner);
    const double left = pixels.x + static_cast<double>(first);
    // From the nearest to the farthest.
    for (auto k = quads.corners.size(); k-- > 0;) {
      poll_interrupt_at(k);
      auto corners = quads.corners[k];
      for (auto& p : corners) p = {(p.x * scale - left) * kFiner, (p.y * scale - pixels.y) * kFiner};
      if (quads.mesh > 0)
        outline(corners, line_width,
                is_opaque_mesh ? over(quads.mesh_color, quads.colors[k]) : pixel_of(quads.mesh_color));
      add(corners, pixel_of(quads.colors[k]));
    }
    finish(surface, static_cast<std::size_t>(left), static_cast<std::size_t>(pixels.y));
  }
  cairo_surface_mark_dirty(surface);
}

namespace {

// The part of the page that the pieces take, in whole pixels.
Rect pixels_of(const Quads& quads, double scale, const Rect& page) {
  double left = page.right(), top = page.bottom(), right = page.x, bottom = page.y;
  for (const auto& corners : quads.corners)
    for (const auto& p : corners) {
      left = std::min(left, p.x - quads.mesh);
      top = std::min(top, p.y - quads.mesh);
      right = std::max(right, p.x + quads.mesh);
      bottom = std::max(bottom, p.y + quads.mesh);
    }
  left = std::floor(std::max(left, page.x) * scale);
  top = std::floor(std::max(top, page.y) * scale);
  right = std::ceil(std::min(right, page.right()) * scale);
  bottom = std::ceil(std::min(bottom, page.bottom()) * scale);
  return {left, top, right - left, bottom - top};
}

}  // namespace

PiecesPicture paint_pieces(const Quads& quads, double scale, const Rect& page) {
  const auto pixels = pixels_of(quads, scale, page);
  if (!(pixels.width > 0 && pixels.height > 0)) return {};
  auto image = make_surface(static_cast<std::size_t>(pixels.width), static_cast<std::size_t>(pixels.height));
  auto moved = quads;
  for (auto& corners : moved.corners)
    for (auto& p : corners) p = {p.x - pixels.x / scale, p.y - pixels.y / scale};
  PieceCanvas().stamp(image.get(), moved, scale, {0, 0, pixels.width, pixels.height});
  return {
      std::move(image), {pixels.x / scale, pixels.y / scale}, pixels.width / scale, pixels.height / scale};
}

}  // namespace quill
