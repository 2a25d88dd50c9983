// Interpolation between scattered points, and their neighbours.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "array/array.h"

namespace quill {

enum class Kernel : std::uint8_t { multiquadric, inverse_multiquadric, gaussian, thin_plate, cubic, linear };

struct RadialOptions {
  Kernel kernel = Kernel::thin_plate;
  double radius = 0;  // 0: chosen by the spacing of the points
  double smoothing = 0;
};

// A sum of functions of the distance to each point, with the polynomial that the kernel needs (a constant for
// multiquadric and linear, a plane for thin_plate and cubic), that has the given values at the points
// (R. L. Hardy, J. Geophys. Res. 76, 1971; H. Wendland, Scattered Data Approximation, 2005). Distances count
// in units of the radius. Smoothing above 0 lets the values deviate: it is added to the diagonal (for thin
// plates the weight of the bending energy).
class RadialInterpolant {
 public:
  // points: one row for each; values: a vector. Error for nan, lengths that differ, points that coincide
  // (unless smoothed), and too few points for the polynomial.
  RadialInterpolant(const Array& points, const Array& values, const RadialOptions& options);
  // At queries, one row for each. Needs no memory beside the result.
  Array evaluate(const Array& queries) const;

  Index dimensions() const { return dimensions_; }
  Index count() const { return count_; }
  const RadialOptions& options() const { return options_; }
  // The given values less those of the function at the points.
  const Array& residual() const { return residual_; }

 private:
  double at(const double* query) const;
  Index dimensions_, count_;
  RadialOptions options_;
  std::vector<double> points_;  // in units of the radius from the centre, row by row
  std::vector<double> centre_, weights_, tail_;
  Array residual_;
};

// The number of polynomial terms beside a kernel for so many coordinates.
Index tail_terms(Kernel kernel, Index dimensions);
std::string_view name_of(Kernel kernel);

struct Neighbors {
  Array positions;  // from 0, int64; one row for each query, nearest first
  Array distances;
};
// The `count` points nearest to each query, by a k-d tree (J. L. Bentley, 1975; nanoflann). points and
// queries: one row for each. Error for nan and for more neighbours than points.
Neighbors nearest_neighbors(const Array& points, const Array& queries, Index count);

}  // namespace quill
