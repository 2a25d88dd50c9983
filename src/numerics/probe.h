// Finds the scale of a function on a half line.
#pragma once

#include <functional>
#include <limits>
#include <vector>

namespace quill {

struct HalfLineScale {
  double size = 1;                                       // distance with the largest contribution
  double end = std::numeric_limits<double>::infinity();  // the function is 0 beyond
  std::vector<double> breaks;                            // around a narrow peak
};

// Distance scale of f(d), d > 0: maximises |f| d over points from 1e-18 to 1e18 in geometric progression. f
// must return 0 where it has no value.
HalfLineScale scale_of(const std::function<double(double)>& f);

}  // namespace quill
