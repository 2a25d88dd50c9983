// Samples the graph of a function, densely where it bends.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "figure/scale.h"

namespace quill {

struct SampledCurve {
  std::vector<double> x, y;     // nan where the curve is interrupted: at poles and jumps, and where f is nan
  std::optional<Limits> focus;  // range of y to show if poles would make the rest appear flat
};
// Samples f between a and b: a coarse grid, bisected where the direction in the figure changes by more than a
// few degrees.
SampledCurve sample_curve(const std::function<double(double)>& f, double a, double b);

}  // namespace quill
