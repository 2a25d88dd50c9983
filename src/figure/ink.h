// Covered parts of a panel, to be avoided by legends and labels.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "figure/display.h"

namespace quill {

// The area of a panel as a grid of small cells, each covered or free.
class InkMap {
 public:
  explicit InkMap(const Rect& area);
  // Marks cells covered by items from index `from` on: data, guides, notes, and axes within the area; not
  // grid lines.
  void add(const Items& items, std::size_t from = 0);
  void add(const Rect& rect);

  struct Place {
    Rect box;
    double covered = 0;  // fraction of the box that is covered
  };
  // Fraction of a box that is covered; outside of the area counts as free.
  double covered(const Rect& box) const;

  // Position where a box covers least, at least `inset` from the edges of the area; among free positions the
  // one nearest to a corner, the upper right one first. Nothing if the box is larger than the area.
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
