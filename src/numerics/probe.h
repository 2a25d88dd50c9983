// A first look at a function on a half line.
#pragma once

#include <functional>
#include <limits>
#include <vector>

namespace quill {

struct HalfLineScale {
  double size = 1;                                       // where the function weighs most
  double end = std::numeric_limits<double>::infinity();  // nothing is left beyond
  std::vector<double> breaks;                            // around a narrow peak
};

// How far from 0 on f(d), d > 0, has its weight: the largest of |f| d on points spread from 1e-18 to 1e18 by
// a constant factor. f gives 0 where it has no value.
HalfLineScale scale_of(const std::function<double(double)>& f);

}  // namespace quill
