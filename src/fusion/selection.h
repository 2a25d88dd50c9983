// Which elements of arrays a condition chooses.
#pragma once

#include <cstdint>
#include <vector>

#include "array/array.h"

namespace quill::fusion {

class Selection {
 public:
  // By booleans that are there already.
  explicit Selection(const Array& condition);
  // By those that are appended in row order, of which a bit each is kept.
  explicit Selection(const Shape& shape) : shape_(shape) {}
  // All but the last ones a multiple of kStretch.
  void append(const bool* truths, Index n);

  // Of what is chosen from.
  const Shape& shape() const { return shape_; }
  Index size() const { return size_of(shape_); }
  // Of the elements that are chosen.
  Index count() const { return count_; }
  // The place in row order of the chosen element with this number, from 0.
  Index place_of(Index number) const;
  // The booleans from a place on. They may be put into `room`, of n + kRoom.
  const bool* truths(Index place, Index n, bool* room) const;

  static constexpr Index kStretch = 4096, kRoom = 16;

 private:
  Shape shape_;
  Array condition_;
  const bool* mask_ = nullptr;  // in row order; null: the bits are kept
  std::vector<std::uint8_t> bits_;
  std::vector<Index> before_;  // each stretch: how many are chosen
  Index count_ = 0;
};

}  // namespace quill::fusion
