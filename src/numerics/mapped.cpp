#include "numerics/mapped.h"

#include <cmath>

namespace quill {

Broadcast::Broadcast(std::span<const Array> arrays) {
  for (const auto& a : arrays) shape_ = broadcast_shapes(shape_, a.shape());
  size_ = size_of(shape_);
  for (const auto& a : arrays) {
    const bool is_single = a.size() == 1;
    held_.push_back(
        is_single || a.shape() == shape_
            ? a.compact()
            : a.view(a.offset(), shape_, stretched_strides(a.shape(), a.strides(), shape_)).compact());
    step_.push_back(is_single ? 0 : 1);
  }
  for (const auto& a : held_) data_.push_back(a.data<double>());
}

Index count_outside_domain(std::span<const Array> arrays, const Array& result) {
  const Broadcast in(arrays);
  const double* const values = result.data<double>();
  Index count = 0;
  for (Index k = 0; k < in.size(); ++k) {
    if (!std::isnan(values[k])) continue;
    bool is_given = false;
    for (std::size_t i = 0; i < in.count(); ++i) is_given = is_given || std::isnan(in.at(i, k));
    count += is_given ? 0 : 1;
  }
  return count;
}

}  // namespace quill
