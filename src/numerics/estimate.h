// Result of a method that calls a function, with its error.
#pragma once

#include <functional>

#include "base/number.h"

namespace quill {

using RealFunction = std::function<double(double)>;

struct Estimate {
  double value = 0;
  double error = 0;  // an estimate of its size
  Index evaluations = 0;
};

}  // namespace quill
