// Interpolation on grids of two and three axes.
#pragma once

#include <span>
#include <vector>

#include "numerics/interpolation.h"

namespace quill {

enum class GridMethod : std::uint8_t { nearest, linear, cubic };

// Interpolates values on a grid, possibly unevenly spaced, by products of one-dimensional interpolation.
// "cubic": cubics with the slopes of parabolas through three neighbours; continuous slopes, third order (R.
// G. Keys, IEEE Trans. Acoust. 29, 1981, for unequal spacing).
class GridInterpolant {
 public:
  // coordinates: two or three vectors x, y (, z) of distinct numbers in any order; values: the last axis is
  // x, the one before it y, the first of three z. Throws Error otherwise, and for nan.
  GridInterpolant(std::span<const Array> coordinates, const Array& values, GridMethod method,
                  Outside outside);
  // At queries of equal shape, one array for each coordinate.
  TableResult evaluate(std::span<const Array> queries) const;

  const std::vector<std::vector<double>>& coordinates() const { return axes_; }
  GridMethod method() const { return method_; }
  Outside outside() const { return outside_; }

 private:
  // Points along an axis that contribute to a query, and their weights.
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

// Arrays broadcast to their common shape, row-major.
std::vector<Array> broadcast_together(std::span<const Array> arrays);

}  // namespace quill
