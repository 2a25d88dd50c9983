// Interpolation of scattered data, and nearest neighbours.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "array/array.h"

namespace quill {

enum class Kernel : std::uint8_t { multiquadric, inverse_multiquadric, gaussian, thin_plate, cubic, linear };

struct RadialOptions {
  Kernel kernel = Kernel::thin_plate;
  double radius = 0;  // 0: from the spacing of the points
  double smoothing = 0;
};

// A sum of functions of the distance to each point, with the polynomial that the kernel needs (a constant for
// multiquadric and linear, a plane for thin_plate and cubic), that has the given values at the points
// (R. L. Hardy, J. Geophys. Res. 76, 1971; H. Wendland, Scattered Data Approximation, 2005). Distances count
// in units of the radius. Smoothing above 0 lets the values deviate: it is added to the diagonal (for thin
// plates the weight of the bending energy).
class RadialInterpolant {
 public:
  // points: one in each row; values: a vector. Throws Error for nan, different lengths, coinciding points
  // (unless smoothed), and too few points for the polynomial.
  RadialInterpolant(const Array& points, const Array& values, const RadialOptions& options);
  // At queries, one in each row. Allocates only the result.
  Array evaluate(const Array& queries) const;

  Index dimensions() const { return dimensions_; }
  Index count() const { return count_; }
  const RadialOptions& options() const { return options_; }
  // Given values minus fitted values.
  const Array& residual() const { return residual_; }

 private:
  double at(const double* query) const;
  Index dimensions_, count_;
  RadialOptions options_;
  std::vector<double> points_;  // row-major, in units of the radius from the centre
  std::vector<double> centre_, weights_, tail_;
  Array residual_;
};

// Number of polynomial terms of a kernel for this many coordinates.
Index tail_terms(Kernel kernel, Index dimensions);
std::string_view name_of(Kernel kernel);

struct Neighbors {
  Array positions;  // 0-based, int64; one row for each query, nearest first
  Array distances;
};
// The `count` nearest points to each query by a k-d tree (J. L. Bentley, 1975; nanoflann). points and
// queries: one in each row. Throws Error for nan and for more neighbours than points.
Neighbors nearest_neighbors(const Array& points, const Array& queries, Index count);

}  // namespace quill
