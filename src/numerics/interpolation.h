// Interpolation in a table of one variable.
#pragma once

#include <string>

#include "array/array.h"

namespace quill {

enum class InterpolationMethod : std::uint8_t { linear, spline };
enum class SplineEnds : std::uint8_t { not_a_knot, natural, clamped };
enum class Outside : std::uint8_t { nan, error, clamp, extend };

struct InterpolantOptions {
  InterpolationMethod method = InterpolationMethod::linear;
  SplineEnds ends = SplineEnds::not_a_knot;
  Outside outside = Outside::nan;
};

// A piecewise polynomial through the points of a table. The spline is the cubic with two continuous
// derivatives (C. de Boor, A Practical Guide to Splines, 1978, ch. IV); fewer than four points give the
// polynomial through them.
class Interpolant {
 public:
  // x: a vector in any order without repeats; y: a vector of its length or a matrix with one row for each
  // x, one curve for each column. Error otherwise, and for NaN.
  Interpolant(const Array& x, const Array& y, const InterpolantOptions& options);

  struct Result {
    Array values;       // of the shape of q, with one more axis when there are several curves
    Index outside = 0;  // count of queries outside of the table
    bool all_outside = false;
  };
  Result evaluate(const Array& q) const;

  double low() const { return x_.front(); }
  double high() const { return x_.back(); }
  const std::vector<double>& breaks() const { return x_; }
  Index curves() const { return curves_; }
  const InterpolantOptions& options() const { return options_; }

 private:
  void make_moments();
  double piece(std::size_t k, Index curve, double q) const;
  double y(std::size_t k, Index curve) const {
    return y_[k * static_cast<std::size_t>(curves_) + static_cast<std::size_t>(curve)];
  }

  InterpolantOptions options_;
  std::vector<double> x_;
  std::vector<double> y_;        // row by row
  std::vector<double> moments_;  // second derivatives at the points, row by row
  Index curves_ = 1;
  bool single_ = true;  // y was a vector
};

struct Polyline {
  Array x, y;
};
// Points on the polyline through (x, y), equally spaced in x from the first to the last, both included.
// x must be strictly monotonic.
Polyline densify(const Array& x, const Array& y, Index count);

std::string_view name_of(InterpolationMethod method);

}  // namespace quill
