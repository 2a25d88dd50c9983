// The set of elements selected by a condition.
#pragma once

#include <cstdint>
#include <vector>

#include "array/array.h"

namespace quill::fusion {

class Selection {
 public:
  // Refers to existing booleans.
  explicit Selection(const Array& condition);
  // Stores one bit for each boolean appended in row order.
  explicit Selection(const Shape& shape) : shape_(shape) {}
  // n must be a multiple of kStretch except in the last call.
  void append(const bool* booleans, Index n);

  // Shape of the array that is selected from.
  const Shape& shape() const { return shape_; }
  Index size() const { return size_of(shape_); }
  // Number of selected elements.
  Index count() const { return count_; }
  // Row-order index of the selected element with this number; both from 0.
  Index index_of(Index number) const;
  // n booleans from an index on, possibly stored in `room`, of n + kRoom elements.
  const bool* booleans(Index place, Index n, bool* room) const;

  static constexpr Index kStretch = 4096, kRoom = 16;

 private:
  Shape shape_;
  Array condition_;
  const bool* mask_ = nullptr;  // row-major; null: bits_ are used
  std::vector<std::uint8_t> bits_;
  std::vector<Index> before_;  // number of elements selected before each stretch
  Index count_ = 0;
};

}  // namespace quill::fusion
