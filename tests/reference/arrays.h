// Random arrays with every kind of layout, and slow, obvious twins of the array operations.
#pragma once

#include <random>
#include <vector>

#include "array/array.h"
#include "array/rearrange.h"

namespace quill::test {

// An array as a plain list with a shape; what the twins work on.
struct Plain {
  std::vector<Index> shape;
  std::vector<double> values;  // row by row
};

inline Plain plain(const Array& a) {
  Plain p;
  p.shape.assign(a.shape().begin(), a.shape().end());
  // Element by element through the strides, not through the library's own walk.
  std::vector<Index> at(p.shape.size(), 0);
  const auto numbers = a.converted(ElementType::float64);
  Index count = 1;
  for (const auto e : p.shape) count *= e;
  for (Index k = 0; k < count; ++k) {
    Index offset = 0;
    for (std::size_t i = 0; i < at.size(); ++i) offset += at[i] * numbers.strides()[static_cast<int>(i)];
    p.values.push_back(numbers.data<double>()[offset]);
    for (std::size_t i = at.size(); i-- > 0;) {
      if (++at[i] < p.shape[i]) break;
      at[i] = 0;
    }
  }
  return p;
}

inline Index row_offset(const std::vector<Index>& shape, const std::vector<Index>& at) {
  Index offset = 0;
  for (std::size_t i = 0; i < shape.size(); ++i) offset = offset * shape[i] + at[i];
  return offset;
}

// The value of p at a position of the larger shape `to`, stretched as broadcasting does.
inline double stretched(const Plain& p, const std::vector<Index>& to, const std::vector<Index>& at) {
  std::vector<Index> own;
  const auto lead = to.size() - p.shape.size();
  for (std::size_t i = 0; i < p.shape.size(); ++i) own.push_back(p.shape[i] == 1 ? 0 : at[i + lead]);
  return p.values[static_cast<std::size_t>(row_offset(p.shape, own))];
}

template <class F>
void for_each_position(const std::vector<Index>& shape, F f) {
  std::vector<Index> at(shape.size(), 0);
  for (const auto e : shape)
    if (e == 0) return;
  while (true) {
    f(at);
    std::size_t i = shape.size();
    while (i-- > 0) {
      if (++at[i] < shape[i]) break;
      at[i] = 0;
    }
    if (i == static_cast<std::size_t>(-1)) return;
  }
}

using Random = std::mt19937_64;
inline Index pick(Random& random, Index low, Index high) {
  return std::uniform_int_distribution<Index>(low, high)(random);
}

// Small integers, so that every order of additions gives the same sum.
inline Array random_array(Random& random, const Shape& shape) {
  Array a(ElementType::float64, shape);
  for (Index k = 0; k < a.size(); ++k) a.mutable_data<double>()[k] = static_cast<double>(pick(random, -9, 9));
  return a;
}

// The same elements in another layout: transposed storage, reversed, sliced out of something larger.
inline Array in_random_layout(Random& random, const Array& a) {
  Array out = a;
  for (int axis = 0; axis < a.axes(); ++axis) {
    if (pick(random, 0, 1)) out = reversed(reversed(out, axis).copied(), axis);
    if (pick(random, 0, 2) == 0) {
      // Every second element of an array twice as long.
      Shape wide = out.shape();
      wide[axis] *= 2;
      Array room(ElementType::float64, wide);
      std::fill_n(room.mutable_data<double>(), room.size(), 77.0);
      auto strides = room.strides();
      strides[axis] *= 2;
      Array place = room.view(0, out.shape(), strides);
      const auto values = out.to_vector<double>();
      std::size_t k = 0;
      std::vector<Index> shape(out.shape().begin(), out.shape().end());
      double* data = const_cast<double*>(room.data<double>());
      for_each_position(shape, [&](const std::vector<Index>& at) {
        Index offset = 0;
        for (std::size_t i = 0; i < at.size(); ++i) offset += at[i] * strides[static_cast<int>(i)];
        data[offset] = values[k++];
      });
      out = place;
    }
  }
  if (a.axes() >= 2 && pick(random, 0, 1)) out = out.transposed().copied().transposed();
  return out;
}

inline Shape random_shape(Random& random, int most_axes = 3, Index most_extent = 4) {
  Shape s;
  const auto axes = pick(random, 0, most_axes);
  for (Index i = 0; i < axes; ++i) s.push_back(pick(random, 0, most_extent));
  return s;
}

}  // namespace quill::test
