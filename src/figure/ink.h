// Which parts of a panel are covered, so that legends and labels avoid them.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "figure/display.h"

namespace quill {

// The area of a panel in small cells, each with ink or without.
class InkMap {
 public:
  explicit InkMap(const Rect& area);
  // What items cover, from place `from` on: data, guides, notes, and axes that cross the area. Grid lines do
  // not count.
  void add(const Items& items, std::size_t from = 0);
  void add(const Rect& rect);

  struct Place {
    Rect box;
    double covered = 0;  // the share of the box over ink
  };
  // The share of a box that is over ink; what lies outside of the area counts as free.
  double covered(const Rect& box) const;

  // Where a box covers the least, at least `inset` from the edges of the area; of free places the one nearest
  // to a corner, that at the upper right first. Nothing when the box is larger than the area.
  std::optional<Place> least_covered(double width, double height, double inset) const;

 private:
  void mark(double x, double y, double half_width, double half_height);
  void mark_segment(Point a, Point b, double width);
  void mark_inside(const std::vector<std::vector<Point>>& pieces);
  void add_item(const Drawn& item);

  Rect area_;
  std::size_t columns_, rows_;
  std::vector<std::uint8_t> cells_;
};

}  // namespace quill
