#include "figure/point_labels.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>

namespace quill {

namespace {

constexpr double kPointRoom = 3.5;  // around each labelled point
constexpr double kLabelGap = 1;     // between labels
constexpr double kLeaderFrom = 9;   // more distant labels have a leader

struct Placed {
  Rect box;
  double away = 0;  // from its point
};

bool crosses(Point a, Point b, const Rect& r) {
  constexpr int parts = 12;
  for (int k = 0; k <= parts; ++k) {
    const double x = a.x + (b.x - a.x) * k / parts, y = a.y + (b.y - a.y) * k / parts;
    if (x > r.x && x < r.right() && y > r.y && y < r.bottom()) return true;
  }
  return false;
}

Rect grown(const Rect& r, double by) { return {r.x - by, r.y - by, r.width + 2 * by, r.height + 2 * by}; }
Rect around(Point p) { return {p.x - kPointRoom, p.y - kPointRoom, 2 * kPointRoom, 2 * kPointRoom}; }
Point nearest_in(const Rect& r, Point p) {
  return {std::clamp(p.x, r.x, r.right()), std::clamp(p.y, r.y, r.bottom())};
}

class Placing {
 public:
  Placing(const Rect& area, const InkMap& ink, std::vector<Point> points)
      : area_(area), ink_(ink), points_(std::move(points)) {}

  // The crowded ones have the first choice.
  std::vector<std::size_t> order() const {
    std::vector<std::size_t> out(points_.size()), neighbours(points_.size(), 0);
    std::iota(out.begin(), out.end(), std::size_t{0});
    constexpr double near = 50;
    for (std::size_t j = 0; j < points_.size(); ++j)
      for (std::size_t k = 0; k < points_.size(); ++k)
        neighbours[j] += j != k && std::fabs(points_[j].x - points_[k].x) < near &&
                         std::fabs(points_[j].y - points_[k].y) < near / 2;
    std::stable_sort(out.begin(), out.end(),
                     [&](std::size_t a, std::size_t b) { return neighbours[a] > neighbours[b]; });
    return out;
  }

  // The best free position beside a point; nothing if there is none.
  std::optional<Placed> find(std::size_t k, double width, double height) {
    std::optional<Placed> best;
    double least = INFINITY;
    const auto p = points_[k];
    for (const double away : {0.0, 5.0, 11.0, 18.0, 27.0, 38.0, 52.0, 70.0, 95.0, 130.0}) {
      // Farther ones cannot be cheaper.
      if (away > least) break;
      const int directions = away < 10 ? 8 : 16;
      for (int d = 0; d < directions; ++d) {
        const double angle = std::numbers::pi * (0.25 + 2.0 * d / directions), r = kPointRoom + away;
        const double c = std::cos(angle), s = std::sin(angle);
        // The corner or side of the box nearest to the point is at this distance.
        const double x = p.x + c * r +
                         (std::fabs(c) < 0.3 ? -width / 2
                          : c < 0            ? -width
                                             : 0),
                     y = p.y - s * r +
                         (std::fabs(s) < 0.3 ? -height / 2
                          : s > 0            ? -height
                                             : 0);
        const Rect box{x, y, width, height};
        if (!is_free(k, box)) continue;
        double cost = away + 25 * ink_.covered(box) + 0.3 * d;
        if (away > kLeaderFrom)
          for (const auto& other : taken_) cost += crosses(p, nearest_in(box, p), other) ? 40 : 0;
        if (cost >= least) continue;
        least = cost;
        best = Placed{box, away};
      }
    }
    if (best) taken_.push_back(best->box);
    return best;
  }

 private:
  bool is_free(std::size_t k, const Rect& box) const {
    if (box.x < area_.x || box.right() > area_.right() || box.y < area_.y || box.bottom() > area_.bottom())
      return false;
    const auto wide = grown(box, kLabelGap);
    for (const auto& other : taken_)
      if (other.overlaps(wide)) return false;
    for (std::size_t j = 0; j < points_.size(); ++j)
      if (j != k && around(points_[j]).overlaps(box)) return false;
    return true;
  }

  Rect area_;
  const InkMap& ink_;
  std::vector<Point> points_;
  std::vector<Rect> taken_;
};

}  // namespace

void draw_point_labels(const Panel& panel, const Mapping& map, const InkMap& ink, const Theme& theme,
                       TextLayer& text, int first_index, DisplayList& out) {
  std::vector<Point> points;
  std::vector<std::size_t> places;
  std::size_t outside = 0, without_room = 0;
  constexpr double slack = 0.01;
  for (std::size_t k = 0; k < panel.labels.size(); ++k) {
    const auto p = map(panel.labels[k].x, panel.labels[k].y);
    const auto& a = map.area;
    if (p.x >= a.x - slack && p.x <= a.right() + slack && p.y >= a.y - slack && p.y <= a.bottom() + slack) {
      points.push_back(p);
      places.push_back(k);
    } else
      ++outside;
  }
  Placing placing(map.area, ink, points);
  for (const auto k : placing.order()) {
    const auto& label = panel.labels[places[k]];
    const auto line =
        text.shortened_line(label.text, {label.size.value_or(theme.legend_size)}, map.area.width / 2);
    const auto place = placing.find(k, line.width, line.height());
    if (!place) {
      ++without_room;
      continue;
    }
    out.items.owner.index = first_index + static_cast<int>(places[k]);
    const auto color = label.color.value_or(theme.ink);
    if (place->away > kLeaderFrom) {
      const auto end = nearest_in(place->box, points[k]);
      const double length = std::hypot(end.x - points[k].x, end.y - points[k].y);
      const double from = std::min(1.0, kPointRoom / std::max(length, 1e-9));
      out.items.emplace_back(StrokePath{
          {{{points[k].x + from * (end.x - points[k].x), points[k].y + from * (end.y - points[k].y)}, end}},
          theme.soft,
          0.5 * theme.line_factor,
          Dash::solid});
    }
    put_text(out, line, {place->box.x, place->box.y + line.ascent}, color, "label");
  }
  out.items.owner.index = -1;
  const auto tell = [&](std::size_t count, const char* one, const char* many) {
    if (count == 1) text.warn(fmt::format("1 label is not drawn: {}", one));
    if (count > 1) text.warn(fmt::format("{} labels are not drawn: {}", count, many));
  };
  tell(outside, "its point is outside the limits of the axes",
       "their points are outside the limits of the axes");
  tell(without_room, "there is no room for it beside the others",
       "there is no room for them beside the others");
}

}  // namespace quill
