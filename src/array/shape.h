// Shapes, strides and broadcasting.
#pragma once

#include <array>
#include <initializer_list>
#include <span>
#include <string>

#include "base/error.h"
#include "base/number.h"

namespace quill {

// Maximum number of axes.
inline constexpr int kMostAxes = 16;

// A short list of extents or strides, stored inline.
class Extents {
 public:
  Extents() : count_(0) { values_[0] = values_[1] = 0; }
  Extents(const Extents& other) : count_(other.count_) { take(other); }
  Extents& operator=(const Extents& other) {
    count_ = other.count_;
    take(other);
    return *this;
  }
  ~Extents() = default;
  Extents(std::initializer_list<Index> values)
      : Extents(std::span<const Index>(values.begin(), values.size())) {}
  explicit Extents(std::span<const Index> values);
  static Extents filled(int count, Index value);

  int count() const { return count_; }
  bool empty() const { return count_ == 0; }
  Index operator[](int i) const { return values_[i]; }
  Index& operator[](int i) { return values_[i]; }
  Index back() const { return values_[count_ - 1]; }
  const Index* begin() const { return values_.data(); }
  const Index* end() const { return values_.data() + count_; }
  void push_back(Index value);
  void insert(int at, Index value);
  void erase(int at);
  bool operator==(const Extents& other) const {
    if (count_ != other.count_) return false;
    for (int i = 0; i < count_; ++i)
      if (values_[i] != other.values_[i]) return false;
    return true;
  }

 private:
  // Copies only the used part; the common two without a call of memcpy.
  void take(const Extents& other) {
    values_[0] = other.values_[0];
    values_[1] = other.values_[1];
    for (int i = 2; i < count_; ++i) values_[i] = other.values_[i];
  }
  int count_;
  std::array<Index, kMostAxes> values_;
};
using Shape = Extents;
using Strides = Extents;

// Number of elements. Throws Error if it does not fit in 63 bits.
Index size_of(const Shape& shape);
Strides row_major_strides(const Shape& shape);
// "6×8", and "single" for no axes.
std::string text_of(const Shape& shape);

// Shapes that cannot be broadcast together. Higher layers add the names of the operands.
class ShapeMismatch : public Error {
 public:
  ShapeMismatch(const Shape& left, const Shape& right, const std::string& between);
  Shape left;
  Shape right;
};

// The common shape: aligned at the last axis; axes of length 1 and missing axes are stretched. `between`
// separates the two shapes in the message: " + ", " and ".
Shape broadcast_shapes(const Shape& a, const Shape& b, const std::string& between = " and ");
bool can_broadcast(const Shape& a, const Shape& b);
// Strides of an array of shape `from` broadcast to the shape `to` (stretched axes get stride 0).
Strides stretched_strides(const Shape& from, const Strides& strides, const Shape& to);
// The first axis of the common shape, from 1, on which a and b disagree.
int failing_axis(const Shape& a, const Shape& b);

}  // namespace quill
