// What linear and other fits share.
#pragma once

#include <vector>

#include "array/array.h"

namespace quill {

// A weight for each of n points, equal ones for an empty array. Error for another count, or what is no
// weight.
std::vector<double> checked_weights(const Array& weights, Index n);

struct Scaled {
  Array matrix;              // rows times the root of their weight, columns of length 1
  std::vector<double> size;  // of the columns before
};
Scaled scaled_columns(const Array& x, const std::vector<double>& weights);

// The inverse of an upper triangle of p rows, row by row.
std::vector<double> inverse_triangle(const double* r, Index p);

}  // namespace quill
