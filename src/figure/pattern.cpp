#include "figure/pattern.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "base/interrupt.h"

namespace quill {

namespace {

constexpr double kSpacing = 4.2, kLine = 0.8, kDot = 1.3;  // points
constexpr double kGround = 0.16;                           // opacity of the ground, of the colour's own

// Parallel lines at an angle, `spacing` apart over the whole page, clipped to a polygon.
void add_lines(const std::vector<Point>& piece, double angle, double spacing, const Rect& bounds,
               std::vector<std::vector<Point>>& out) {
  const double c = std::cos(angle), s = std::sin(angle);
  // Rotated so that the lines are horizontal.
  const auto turned = [&](Point p) { return Point{p.x * c + p.y * s, p.y * c - p.x * s}; };
  const auto back = [&](Point p) { return Point{p.x * c - p.y * s, p.y * c + p.x * s}; };
  std::vector<Point> corners;
  double low = INFINITY, high = -INFINITY;
  for (const auto& p : piece) {
    // Ends far outside would have lines without end.
    corners.push_back(
        turned({std::clamp(p.x, bounds.x, bounds.right()), std::clamp(p.y, bounds.y, bounds.bottom())}));
    low = std::min(low, corners.back().y);
    high = std::max(high, corners.back().y);
  }
  std::vector<double> crossings;
  for (double k = std::ceil(low / spacing); k * spacing < high; ++k) {
    const double y = k * spacing;
    crossings.clear();
    for (std::size_t i = 0; i < corners.size(); ++i) {
      const auto &a = corners[i], &b = corners[(i + 1) % corners.size()];
      if ((a.y <= y) == (b.y <= y)) continue;
      crossings.push_back(a.x + (y - a.y) / (b.y - a.y) * (b.x - a.x));
    }
    std::sort(crossings.begin(), crossings.end());
    for (std::size_t i = 0; i + 1 < crossings.size(); i += 2)
      if (crossings[i] < crossings[i + 1])
        out.push_back({back({crossings[i], y}), back({crossings[i + 1], y})});
  }
}

// Dots in rows of which every other one is shifted by half.
void add_dots(const std::vector<Point>& piece, double spacing, const Rect& bounds, std::vector<Point>& out) {
  std::vector<std::vector<Point>> rows;
  add_lines(piece, 0, spacing * 0.8, bounds, rows);
  for (const auto& row : rows) {
    const bool is_odd = std::lround(row[0].y / (spacing * 0.8)) % 2 != 0;
    const double shift = is_odd ? spacing / 2 : 0;
    for (double k = std::ceil((row[0].x + kDot / 2 - shift) / spacing);
         k * spacing + shift < row[1].x - kDot / 2; ++k)
      out.push_back({k * spacing + shift, row[0].y});
  }
}

}  // namespace

void fill_area(std::vector<std::vector<Point>> pieces, const Color& color, Pattern pattern,
               const Rect& bounds, double line_factor, DisplayList& out) {
  if (pattern == Pattern::none) {
    out.items.emplace_back(FillPath{std::move(pieces), color});
    return;
  }
  const double spacing = kSpacing * std::max(1.0, line_factor), eighth = std::numbers::pi / 4;
  std::vector<std::vector<Point>> lines;
  Markers dots{{}, Marker::disc, kDot * line_factor, color, {}, {}};
  for (std::size_t k = 0; k < pieces.size(); ++k) {
    poll_interrupt_at(k);
    const auto& piece = pieces[k];
    if (pattern == Pattern::rising || pattern == Pattern::crossed)
      add_lines(piece, -eighth, spacing, bounds, lines);
    if (pattern == Pattern::falling || pattern == Pattern::crossed)
      add_lines(piece, eighth, spacing, bounds, lines);
    if (pattern == Pattern::level) add_lines(piece, 0, spacing, bounds, lines);
    if (pattern == Pattern::upright) add_lines(piece, 2 * eighth, spacing, bounds, lines);
    if (pattern == Pattern::dotted) add_dots(piece, spacing, bounds, dots.points);
  }
  auto ground = color;
  ground.alpha *= kGround;
  auto edges = pieces;
  for (auto& piece : edges)
    if (!piece.empty()) piece.push_back(piece.front());
  out.items.emplace_back(FillPath{std::move(pieces), ground});
  if (!lines.empty())
    out.items.emplace_back(StrokePath{std::move(lines), color, kLine * line_factor, Dash::solid});
  if (!dots.points.empty()) out.items.emplace_back(std::move(dots));
  out.items.emplace_back(StrokePath{std::move(edges), color, kLine * line_factor, Dash::solid});
}

}  // namespace quill
