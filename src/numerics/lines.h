// Applies functions to the lines of an array along an axis.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// f(line) for each line of a float64 array along an axis; returns a vector, of equal length for all lines,
// which replaces the line.
template <class F>
Array by_lines(const Array& a, int axis, F f) {
  std::vector<int> there, back(static_cast<std::size_t>(a.axes()));
  for (int k = 0; k < a.axes(); ++k)
    if (k != axis) there.push_back(k);
  there.push_back(axis);
  for (std::size_t k = 0; k < there.size(); ++k)
    back[static_cast<std::size_t>(there[k])] = static_cast<int>(k);
  const auto x = a.converted(ElementType::float64).permuted(there).compact();
  const Index n = a.extent(axis), lines = n > 0 ? x.size() / n : 0;
  auto shape = x.shape();
  if (lines == 0) shape[shape.count() - 1] = 0;
  Array out(ElementType::float64, lines == 0 ? shape : Shape());
  double* to = nullptr;
  for (Index k = 0; k < lines; ++k) {
    const std::vector<double> line =
        f(std::span<const double>(x.data<double>() + k * n, static_cast<std::size_t>(n)));
    if (k == 0) {
      shape[shape.count() - 1] = static_cast<Index>(line.size());
      out = Array(ElementType::float64, shape);
      to = out.mutable_data<double>();
    }
    to = std::copy(line.begin(), line.end(), to);
  }
  if (a.axes() > 1) out = out.permuted(back).compact();
  out.label = a.label;
  return out;
}

}  // namespace quill
