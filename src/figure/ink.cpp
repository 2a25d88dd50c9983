#include "figure/ink.h"

#include <algorithm>
#include <cmath>

namespace quill {

namespace {

constexpr double kCell = 2;       // points
constexpr double kClearance = 3;  // around a box

}  // namespace

InkMap::InkMap(const Rect& area)
    : area_(area),
      columns_(static_cast<std::size_t>(std::max(1.0, std::ceil(area.width / kCell)))),
      rows_(static_cast<std::size_t>(std::max(1.0, std::ceil(area.height / kCell)))),
      cells_(columns_ * rows_, 0) {}

void InkMap::mark(double x, double y, double half_width, double half_height) {
  if (!std::isfinite(x + y)) return;
  const auto place = [](double v, std::size_t count) {
    return static_cast<std::size_t>(std::clamp(std::floor(v / kCell), 0.0, static_cast<double>(count - 1)));
  };
  const double left = x - half_width - area_.x, right = x + half_width - area_.x,
               top = y - half_height - area_.y, bottom = y + half_height - area_.y;
  if (right < 0 || bottom < 0 || left > area_.width || top > area_.height) return;
  const auto last_column = place(right, columns_), last_row = place(bottom, rows_);
  for (auto r = place(top, rows_); r <= last_row; ++r)
    for (auto c = place(left, columns_); c <= last_column; ++c) cells_[r * columns_ + c] = 1;
}

void InkMap::add(const Rect& rect) {
  mark(rect.x + rect.width / 2, rect.y + rect.height / 2, rect.width / 2, rect.height / 2);
}

void InkMap::mark_segment(Point a, Point b, double width) {
  // Only the part inside of the area, since ends may be far outside.
  const double dx = b.x - a.x, dy = b.y - a.y;
  double from = 0, to = 1;
  const auto cut = [&](double p, double q) {
    if (p == 0) return q >= 0;
    if (p < 0)
      from = std::max(from, q / p);
    else
      to = std::min(to, q / p);
    return from <= to;
  };
  const double pad = width;
  if (!cut(-dx, a.x - area_.x + pad) || !cut(dx, area_.right() - a.x + pad) ||
      !cut(-dy, a.y - area_.y + pad) || !cut(dy, area_.bottom() - a.y + pad))
    return;
  const double length = std::hypot(dx, dy) * (to - from);
  const int steps = static_cast<int>(std::ceil(length / (kCell / 2)));
  for (int k = 0; k <= steps; ++k) {
    const double t = steps == 0 ? from : from + (to - from) * k / steps;
    mark(a.x + t * dx, a.y + t * dy, width / 2, width / 2);
  }
}

// Along the middle of each row of cells, between the first and the second crossing of an edge, and so on.
void InkMap::mark_inside(const std::vector<std::vector<Point>>& pieces) {
  std::vector<std::vector<double>> crossings(rows_);
  for (const auto& piece : pieces)
    for (std::size_t k = 0; k < piece.size(); ++k) {
      Point a = piece[k], b = piece[(k + 1) % piece.size()];
      if (!std::isfinite(a.x + a.y + b.x + b.y) || a.y == b.y) continue;
      if (a.y > b.y) std::swap(a, b);
      const double first = std::ceil((a.y - area_.y) / kCell - 0.5),
                   last = std::ceil((b.y - area_.y) / kCell - 0.5);
      for (double r = std::max(0.0, first); r < std::min(last, static_cast<double>(rows_)); ++r) {
        const double y = area_.y + (r + 0.5) * kCell;
        crossings[static_cast<std::size_t>(r)].push_back(a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y));
      }
    }
  for (std::size_t r = 0; r < rows_; ++r) {
    auto& xs = crossings[r];
    std::sort(xs.begin(), xs.end());
    const double y = area_.y + (static_cast<double>(r) + 0.5) * kCell;
    for (std::size_t k = 0; k + 1 < xs.size(); k += 2) {
      const double left = std::max(xs[k], area_.x), right = std::min(xs[k + 1], area_.right());
      if (left <= right) mark((left + right) / 2, y, (right - left) / 2, 0);
    }
  }
}

void InkMap::add_item(const Drawn& item) {
  if (const auto* s = std::get_if<StrokePath>(&item)) {
    for (const auto& piece : s->pieces)
      for (std::size_t k = 1; k < piece.size(); ++k) mark_segment(piece[k - 1], piece[k], s->width);
  } else if (const auto* f = std::get_if<FillRect>(&item)) {
    add(f->rect);
  } else if (const auto* p = std::get_if<FillPath>(&item)) {
    mark_inside(p->pieces);
    for (const auto& piece : p->pieces)
      for (std::size_t k = 0; k < piece.size(); ++k) mark_segment(piece[k], piece[(k + 1) % piece.size()], 0);
  } else if (const auto* q = std::get_if<Quads>(&item)) {
    for (const auto& c : q->corners) mark_inside({{c.begin(), c.end()}});
  } else if (const auto* picture = std::get_if<Picture>(&item)) {
    const double width = picture->rect.width / static_cast<double>(picture->columns),
                 height = picture->rect.height / static_cast<double>(picture->rows);
    for (std::size_t k = 0; k < picture->cells.size(); ++k)
      if (picture->cells[k].alpha > 0)
        mark(picture->rect.x + (static_cast<double>(k % picture->columns) + 0.5) * width,
             picture->rect.y + (static_cast<double>(k / picture->columns) + 0.5) * height, width / 2,
             height / 2);
  } else if (const auto* m = std::get_if<Markers>(&item)) {
    for (const auto& at : m->points) mark(at.x, at.y, 0.6 * m->size, 0.6 * m->size);
  } else if (const auto* text = std::get_if<DrawnText>(&item)) {
    add(text->box());
  }
}

void InkMap::add(const Items& items, std::size_t from) {
  for (auto k = from; k < items.size(); ++k) {
    const auto part = items[k].owner.part;
    if (part == Part::data || part == Part::guide || part == Part::note || part == Part::axis)
      add_item(items[k]);
  }
}

double InkMap::covered(const Rect& box) const {
  const auto at = [](double v, std::size_t most) {
    return static_cast<std::size_t>(std::clamp(v / kCell, 0.0, static_cast<double>(most)));
  };
  const auto from_c = at(box.x - area_.x, columns_), to_c = at(std::ceil(box.right() - area_.x), columns_),
             from_r = at(box.y - area_.y, rows_), to_r = at(std::ceil(box.bottom() - area_.y), rows_);
  std::size_t ink = 0;
  for (auto r = from_r; r < to_r; ++r)
    for (auto c = from_c; c < to_c; ++c) ink += cells_[r * columns_ + c];
  return static_cast<double>(ink) * kCell * kCell / std::max(1e-9, box.width * box.height);
}

std::optional<InkMap::Place> InkMap::least_covered(double width, double height, double inset) const {
  if (width + 2 * inset > area_.width || height + 2 * inset > area_.height) return std::nullopt;
  // Sums over all cells above and to the left.
  std::vector<std::uint32_t> sums((columns_ + 1) * (rows_ + 1), 0);
  for (std::size_t r = 0; r < rows_; ++r)
    for (std::size_t c = 0; c < columns_; ++c)
      sums[(r + 1) * (columns_ + 1) + c + 1] = cells_[r * columns_ + c] + sums[r * (columns_ + 1) + c + 1] +
                                               sums[(r + 1) * (columns_ + 1) + c] -
                                               sums[r * (columns_ + 1) + c];
  const auto cell = [](double v, std::size_t most) {
    return static_cast<std::size_t>(std::clamp(v, 0.0, static_cast<double>(most)));
  };
  const auto inked = [&](double x, double y) {
    const auto c0 = cell(std::floor((x - kClearance) / kCell), columns_),
               c1 = cell(std::ceil((x + width + kClearance) / kCell), columns_),
               r0 = cell(std::floor((y - kClearance) / kCell), rows_),
               r1 = cell(std::ceil((y + height + kClearance) / kCell), rows_);
    const auto w = columns_ + 1;
    return static_cast<double>(sums[r1 * w + c1] + sums[r0 * w + c0]) -
           static_cast<double>(sums[r0 * w + c1] + sums[r1 * w + c0]);
  };
  const double last_x = area_.width - inset - width, last_y = area_.height - inset - height;
  const auto steps = [](double from, double to) {
    std::vector<double> out;
    for (double at = from; at < to; at += kCell) out.push_back(at);
    out.push_back(to);
    return out;
  };
  std::optional<Place> best;
  double least = INFINITY, nearest = INFINITY;
  for (const double y : steps(inset, last_y))
    for (const double x : steps(inset, last_x)) {
      const double ink = inked(x, y);
      // From the nearest corner; the order of corners decides between equals.
      double away = INFINITY, rank = 0;
      for (const auto& [corner_x, corner_y] :
           {std::pair{last_x, inset}, {inset, inset}, {last_x, last_y}, {inset, last_y}})
        away = std::min(away, std::hypot(x - corner_x, y - corner_y) + 0.01 * rank++);
      if (ink > least || (ink == least && away >= nearest)) continue;
      least = ink;
      nearest = away;
      best = Place{{area_.x + x, area_.y + y, width, height}, ink * kCell * kCell / (width * height)};
    }
  return best;
}

}  // namespace quill
