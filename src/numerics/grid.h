// Interpolation on grids of two and three axes.
#pragma once

#include <span>
#include <vector>

#include "numerics/interpolation.h"

namespace quill {

enum class GridMethod : std::uint8_t { nearest, linear, cubic };

// A function through the values on a grid, which may be unevenly spaced: products of what interpolates along
// each axis. "cubic" takes cubics whose slopes at the points are those of parabolas through three neighbours:
// continuous slopes, third order (R. G. Keys, IEEE Trans. Acoust. 29, 1981, for unequal spacing).
class GridInterpolant {
 public:
  // coordinates: two or three vectors x, y (, z) without repeats, in any order; values: the last axis runs
  // along x, the one before it along y, the first of three along z. Error otherwise, and for nan.
  GridInterpolant(std::span<const Array> coordinates, const Array& values, GridMethod method,
                  Outside outside);
  // At queries of one shape, one array for each coordinate.
  TableResult evaluate(std::span<const Array> queries) const;

  const std::vector<std::vector<double>>& coordinates() const { return axes_; }
  GridMethod method() const { return method_; }
  Outside outside() const { return outside_; }

 private:
  // The points along an axis that count for a query, and how much.
  struct Window {
    double query = 0;
    std::size_t first = 0, count = 0;
    double weight[4] = {};
    bool is_outside = false;
  };
  void look(std::size_t axis, double t, Window& window) const;
  double combined(std::span<const Window> windows) const;

  std::vector<std::vector<double>> axes_;
  std::vector<double> values_;  // the last coordinate given first: x runs fastest
  GridMethod method_;
  Outside outside_;
};

std::string_view name_of(GridMethod method);

// Arrays stretched to their common shape, row by row.
std::vector<Array> broadcast_together(std::span<const Array> arrays);

}  // namespace quill
