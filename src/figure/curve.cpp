#include "figure/curve.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/interrupt.h"

namespace quill {

namespace {

// The part of the segment from a to b inside the rectangle (Y.-D. Liang, B. A. Barsky, 1984); false when
// there is none.
bool cut(Point& a, Point& b, const Rect& r) {
  double from = 0, to = 1;
  const double dx = b.x - a.x, dy = b.y - a.y;
  const auto edge = [&](double p, double q) {
    if (p == 0) return q >= 0;
    const double t = q / p;
    if (p < 0)
      from = std::max(from, t);
    else
      to = std::min(to, t);
    return from <= to;
  };
  if (!edge(-dx, a.x - r.x) || !edge(dx, r.right() - a.x) || !edge(-dy, a.y - r.y) ||
      !edge(dy, r.bottom() - a.y))
    return false;
  // Held inside, since far ends leave nothing of the near one but rounding.
  const auto at = [&, start = a](double t) {
    return Point{std::clamp(start.x + t * dx, r.x, r.right()), std::clamp(start.y + t * dy, r.y, r.bottom())};
  };
  if (to < 1) b = at(to);
  if (from > 0) a = at(from);
  return true;
}

}  // namespace

Point Mapping::operator()(double data_x, double data_y) const {
  return {area.x + x.share(data_x) * area.width, area.bottom() - y.share(data_y) * area.height};
}

namespace {

// Of the points that fall into one narrow column of the page one after the other: the first, the lowest, the
// highest and the last, which draw the same picture.
class Thinned {
 public:
  Thinned(const std::vector<double>& x, const std::vector<double>& y, const Mapping& map) {
    constexpr double columns_per_point = 4;
    double column = std::numeric_limits<double>::quiet_NaN();
    std::size_t first = 0, low = 0, high = 0;
    const auto flush = [&](std::size_t end) {
      if (std::isnan(column)) return;
      std::size_t kept[] = {first, low, high, end - 1};
      std::sort(std::begin(kept), std::end(kept));
      for (std::size_t k = 0; k < 4; ++k)
        if (k == 0 || kept[k] != kept[k - 1]) {
          xs.push_back(x[kept[k]]);
          ys.push_back(y[kept[k]]);
        }
    };
    const double scale = columns_per_point * map.area.width;
    // On linear axes by one product for each point.
    const double range = map.x.limits.high - map.x.limits.low;
    const bool is_linear =
        (map.x.kind == ScaleKind::linear || map.x.kind == ScaleKind::time) && std::isfinite(range);
    const double factor = scale / range;
    for (std::size_t k = 0; k < x.size(); ++k) {
      poll_interrupt_at(k);
      const double place = is_linear ? (x[k] - map.x.limits.low) * factor : map.x.share(x[k]) * scale;
      const double here = std::isfinite(y[k]) ? std::floor(place) : std::nan("");
      if (!std::isfinite(here)) {
        flush(k);
        column = std::numeric_limits<double>::quiet_NaN();
        xs.push_back(std::numeric_limits<double>::quiet_NaN());
        ys.push_back(0);
        continue;
      }
      if (here != column) {
        flush(k);
        column = here;
        first = low = high = k;
      } else {
        if (y[k] < y[low]) low = k;
        if (y[k] > y[high]) high = k;
      }
    }
    flush(x.size());
  }
  std::vector<double> xs, ys;
};

}  // namespace

std::vector<std::vector<Point>> line_pieces(const std::vector<double>& x, const std::vector<double>& y,
                                            const Mapping& map, std::vector<Point>* isolated) {
  constexpr std::size_t many = 20000;
  if (x.size() > many) {
    const Thinned thin(x, y, map);
    if (thin.xs.size() < x.size()) return line_pieces(thin.xs, thin.ys, map, isolated);
  }
  constexpr double beyond = 20, finest = 0.02;
  const Rect r{map.area.x - beyond, map.area.y - beyond, map.area.width + 2 * beyond,
               map.area.height + 2 * beyond};
  std::vector<std::vector<Point>> pieces;
  bool joined = false;  // the last point of the last piece is the end of the segment before
  Point before{};
  bool has_before = false;
  bool is_alone = true;  // all points since the last gap coincide
  const auto end = [&] {
    const auto& a = map.area;
    if (isolated && has_before && is_alone && before.x >= a.x && before.x <= a.right() && before.y >= a.y &&
        before.y <= a.bottom())
      isolated->push_back(before);
    has_before = joined = false;
    is_alone = true;
  };
  for (std::size_t k = 0; k < x.size(); ++k) {
    poll_interrupt_at(k);
    const auto here = std::isfinite(x[k]) && std::isfinite(y[k]) ? map(x[k], y[k]) : Point{NAN, NAN};
    if (!std::isfinite(here.x) || !std::isfinite(here.y)) {
      end();
      continue;
    }
    if (has_before) {
      is_alone = is_alone && std::fabs(here.x - before.x) < finest && std::fabs(here.y - before.y) < finest;
      Point a = before, b = here;
      if (cut(a, b, r)) {
        if (!joined || a.x != before.x || a.y != before.y) pieces.push_back({a});
        auto& piece = pieces.back();
        if (std::hypot(b.x - piece.back().x, b.y - piece.back().y) >= finest || piece.size() == 1)
          piece.push_back(b);
        else if (b.x == here.x && b.y == here.y && piece.size() > 1)
          piece.back() = b;
        joined = b.x == here.x && b.y == here.y;
      } else
        joined = false;
    }
    before = here;
    has_before = true;
  }
  end();
  return pieces;
}

std::vector<std::size_t> places_inside(const std::vector<double>& x, const std::vector<double>& y,
                                       const Mapping& map) {
  std::vector<std::size_t> out;
  constexpr double slack = 0.01;
  for (std::size_t k = 0; k < x.size(); ++k) {
    poll_interrupt_at(k);
    if (!std::isfinite(x[k]) || !std::isfinite(y[k])) continue;
    const auto p = map(x[k], y[k]);
    if (p.x >= map.area.x - slack && p.x <= map.area.right() + slack && p.y >= map.area.y - slack &&
        p.y <= map.area.bottom() + slack)
      out.push_back(k);
  }
  return out;
}

}  // namespace quill
