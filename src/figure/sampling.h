// Points on the curve of a function, dense where it bends.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "figure/scale.h"

namespace quill {

struct SampledCurve {
  std::vector<double> x, y;     // nan where the curve is interrupted: at poles and jumps, and where f is nan
  std::optional<Limits> focus;  // of y, when poles would make everything else flat
};
// f between a and b: a coarse row of points, halved again and again where the direction changes by more than
// a few degrees of the picture.
SampledCurve sample_curve(const std::function<double(double)>& f, double a, double b);

}  // namespace quill
