// The lines of an array along one of its axes, one by one.
#pragma once

#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// f(line) for each line of a float64 array along an axis; gives a vector, of one length for all lines, which
// takes the place of the line.
template <class F>
Array by_lines(const Array& a, int axis, F f) {
  std::vector<int> there, back(static_cast<std::size_t>(a.axes()));
  for (int k = 0; k < a.axes(); ++k)
    if (k != axis) there.push_back(k);
  there.push_back(axis);
  for (std::size_t k = 0; k < there.size(); ++k)
    back[static_cast<std::size_t>(there[k])] = static_cast<int>(k);
  const auto x = a.converted(ElementType::float64).permuted(there).compact();
  const Index n = a.extent(axis);
  auto shape = x.shape();
  std::vector<double> all;
  for (Index first = 0; n > 0 && first < x.size(); first += n) {
    const std::vector<double> line =
        f(std::span<const double>(x.data<double>() + first, static_cast<std::size_t>(n)));
    shape[shape.count() - 1] = static_cast<Index>(line.size());
    all.insert(all.end(), line.begin(), line.end());
  }
  auto out = Array::vector(all).with_shape(shape).permuted(back).compact();
  out.label = a.label;
  return out;
}

}  // namespace quill
