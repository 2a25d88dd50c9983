// Measurements of a `timed` block.
#pragma once

#include <string>
#include <vector>

#include "base/number.h"

namespace quill {

struct Timing {
  std::string label;
  std::vector<double> seconds;  // of every repetition
  Index bytes = 0;              // allocated for array elements in the last repetition
  Index arrays = 0;             // arrays allocated
  Index passes = 0;             // passes over array elements
};

}  // namespace quill
