// What a `timed` block measured.
#pragma once

#include <string>
#include <vector>

#include "base/number.h"

namespace quill {

struct Timing {
  std::string label;
  std::vector<double> seconds;  // of every repetition
  Index bytes = 0;              // allocated for elements in the last repetition
  Index arrays = 0;             // and the arrays made
  Index passes = 0;             // walks over the elements of arrays in it
};

}  // namespace quill
