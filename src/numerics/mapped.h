// Elementwise functions of several real arguments.
#pragma once

#include <algorithm>
#include <array>
#include <span>
#include <vector>

#include "array/array.h"
#include "base/interrupt.h"
#include "base/parallel.h"

namespace quill {

// Arrays broadcast together, accessed in row order.
class Broadcast {
 public:
  // float64 arrays. Throws ShapeMismatch if the shapes are incompatible.
  explicit Broadcast(std::span<const Array> arrays);
  const Shape& shape() const { return shape_; }
  Index size() const { return size_; }
  std::size_t count() const { return data_.size(); }
  // Element k of array i.
  double at(std::size_t i, Index k) const { return data_[i][k * step_[i]]; }

 private:
  std::vector<Array> held_;
  std::vector<const double*> data_;
  std::vector<Index> step_;  // 0 for a single number
  Shape shape_;
  Index size_ = 0;
};

inline constexpr std::size_t kMostMapped = 4;

// Applies f(x), where x[0], x[1], … are the elements of the arrays broadcast together; float64. Large arrays
// are divided among threads: f must be thread-safe.
template <class F>
Array mapped(std::span<const Array> arrays, F f) {
  const Broadcast in(arrays);
  Array out(ElementType::float64, in.shape());
  double* const to = out.mutable_data<double>();
  constexpr Index piece = 2048;
  in_parallel((in.size() + piece - 1) / piece, [&](Index p) {
    std::array<double, kMostMapped> x{};
    const Index end = std::min(in.size(), (p + 1) * piece);
    for (Index k = p * piece; k < end; ++k) {
      for (std::size_t i = 0; i < in.count(); ++i) x[i] = in.at(i, k);
      to[k] = f(x.data());
    }
  });
  return out;
}

// Number of results that are nan although no argument is.
Index count_outside_domain(std::span<const Array> arrays, const Array& result);

}  // namespace quill
