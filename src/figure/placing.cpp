#include "figure/placing.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"

namespace quill {

namespace {

constexpr double kColumnGap = 16, kRowGap = 12, kSmallestArea = 14, kRoomyArea = 60, kInsetGap = 4;
constexpr double kMillimetresPerPoint = 25.4 / 72;

// The cells of a panel in the grid, from 0.
struct Cells {
  std::size_t row, column, last_row, last_column;
  explicit Cells(const Panel& panel)
      : row(static_cast<std::size_t>(panel.row - 1)),
        column(static_cast<std::size_t>(panel.column - 1)),
        last_row(row + static_cast<std::size_t>(panel.rows) - 1),
        last_column(column + static_cast<std::size_t>(panel.columns) - 1) {}
};

[[noreturn]] void fail_for_room(const Figure& figure, std::size_t panels, double width, double height) {
  const auto larger = [](double size, double area, int count) {
    return std::ceil(size + std::max(0.0, kRoomyArea - area) * count * kMillimetresPerPoint);
  };
  fail(fmt::format("the figure \"{}\" of {:g}×{:g} mm is too small for its {} panel{}", figure.name,
                   figure.width, figure.height, panels, panels == 1 ? "" : "s"),
       fmt::format("figure(…, width: {:.0f}, height: {:.0f})", larger(figure.width, width, figure.columns),
                   larger(figure.height, height, figure.rows)));
}

// Divides a length by fractions, or equally.
std::vector<double> divided(double length, std::size_t parts, std::vector<double> shares) {
  if (shares.size() != parts) shares.assign(parts, 1);
  double all = 0;
  for (const double share : shares) all += share;
  for (double& share : shares) share *= length / all;
  return shares;
}

void place_grid(const Figure& figure, const Rect& page, std::vector<PanelPlan>& plans) {
  const auto rows = static_cast<std::size_t>(figure.rows), columns = static_cast<std::size_t>(figure.columns);
  std::vector<double> left(columns, 0), right(columns, 0), top(rows, 0), bottom(rows, 0);
  for (const auto& p : plans) {
    if (p.panel->place) continue;
    const Cells cells(*p.panel);
    left[cells.column] = std::max(left[cells.column], p.left);
    right[cells.last_column] = std::max(right[cells.last_column], p.right);
    top[cells.row] = std::max(top[cells.row], p.top);
    bottom[cells.last_row] = std::max(bottom[cells.last_row], p.bottom);
  }
  double used_width = kColumnGap * static_cast<double>(columns - 1),
         used_height = kRowGap * static_cast<double>(rows - 1);
  for (std::size_t c = 0; c < columns; ++c) used_width += left[c] + right[c];
  for (std::size_t r = 0; r < rows; ++r) used_height += top[r] + bottom[r];
  const auto widths = divided(page.width - used_width, columns, figure.column_shares),
             heights = divided(page.height - used_height, rows, figure.row_shares);
  const double width = *std::min_element(widths.begin(), widths.end()),
               height = *std::min_element(heights.begin(), heights.end());
  if (width < kSmallestArea || height < kSmallestArea) fail_for_room(figure, plans.size(), width, height);
  std::vector<double> x0(columns), x1(columns), y0(rows), y1(rows);
  double x = page.x, y = page.y;
  for (std::size_t c = 0; c < columns; ++c) {
    x0[c] = x + left[c];
    x1[c] = x0[c] + widths[c];
    x = x1[c] + right[c] + kColumnGap;
  }
  for (std::size_t r = 0; r < rows; ++r) {
    y0[r] = y + top[r];
    y1[r] = y0[r] + heights[r];
    y = y1[r] + bottom[r] + kRowGap;
  }
  for (auto& p : plans) {
    if (p.panel->place) continue;
    const Cells cells(*p.panel);
    p.area = {x0[cells.column], y0[cells.row], x1[cells.last_column] - x0[cells.column],
              y1[cells.last_row] - y0[cells.row]};
    // Titles of axes line up along a column and along a row.
    p.room_left = left[cells.column];
    p.room_below = bottom[cells.last_row];
  }
}

std::string place_of(const Fractions& f) {
  return fmt::format("panel(x: {:g}, y: {:g}, width: {:g}, height: {:g})", f.x, f.y, f.width, f.height);
}

bool contains(const Rect& outer, const Rect& inner) {
  constexpr double slack = 0.01;
  return inner.x >= outer.x - slack && inner.y >= outer.y - slack && inner.right() <= outer.right() + slack &&
         inner.bottom() <= outer.bottom() + slack;
}

// The rectangle moved into another one, and made smaller where it is larger.
Rect held_in(Rect r, const Rect& room) {
  r.width = std::min(r.width, room.width);
  r.height = std::min(r.height, room.height);
  r.x = std::clamp(r.x, room.x, room.right() - r.width);
  r.y = std::clamp(r.y, room.y, room.bottom() - r.height);
  return r;
}

void place_by_shares(const Rect& page, std::vector<PanelPlan>& plans, PanelPlan& p) {
  const auto& f = *p.panel->place;
  Rect outer{page.x + f.x * page.width, page.bottom() - (f.y + f.height) * page.height, f.width * page.width,
             f.height * page.height};
  const Point middle{outer.x + outer.width / 2, outer.y + outer.height / 2};
  p.is_inset = false;
  for (const auto& other : plans) {
    if (&other == &p) break;  // only those that were there before
    const auto& a = other.area;
    if (middle.x < a.x || middle.x > a.right() || middle.y < a.y || middle.y > a.bottom()) continue;
    p.is_inset = true;
    outer = held_in(outer, {a.x + kInsetGap, a.y + kInsetGap, std::max(1.0, a.width - 2 * kInsetGap),
                            std::max(1.0, a.height - 2 * kInsetGap)});
  }
  p.area = {outer.x + p.left, outer.y + p.top, outer.width - p.left - p.right,
            outer.height - p.top - p.bottom};
  p.room_left = p.left;
  p.room_below = p.bottom;
  if (p.area.width < kSmallestArea || p.area.height < kSmallestArea)
    fail(fmt::format("{} is too small for its data and labels", place_of(f)),
         "use a larger fraction or a larger figure");
}

void check_apart(const std::vector<PanelPlan>& plans) {
  for (std::size_t j = 0; j < plans.size(); ++j)
    for (std::size_t k = 0; k < plans.size(); ++k) {
      const auto &one = plans[j], &two = plans[k];
      if (j == k || !one.panel->place || (two.panel->place && k > j)) continue;
      constexpr double slack = 0.05;
      auto outer = one.outer();
      outer = {outer.x + slack, outer.y + slack, outer.width - 2 * slack, outer.height - 2 * slack};
      if (!outer.overlaps(two.outer()) || contains(two.area, outer)) continue;
      fail(fmt::format("{} overlaps {} or its labels", place_of(*one.panel->place),
                       two.panel->place ? place_of(*two.panel->place)
                                        : fmt::format("panel({}, {})", two.panel->row, two.panel->column)),
           "a panel must be beside another one, or completely inside its axes");
    }
}

}  // namespace

void place_panels(const Figure& figure, const Rect& page, std::vector<PanelPlan>& plans) {
  place_grid(figure, page, plans);
  for (auto& p : plans)
    if (p.panel->place) place_by_shares(page, plans, p);
  check_apart(plans);
}

}  // namespace quill
