// Copies in row order.
#include <algorithm>
#include <cstring>
#include <type_traits>

#include "array/array.h"
#include "array/strided.h"
#include "base/parallel.h"

namespace quill {

namespace {

constexpr Index kLarge = 1 << 16;  // elements from which threads are used
constexpr Index kTile = 16;        // rows and columns that are turned at a time, within the first-level cache

// Two axes of a copy: `a` is contiguous in the source, `b` in the result.
struct Turn {
  Index a = 0, b = 0;  // extents
  Index source_b = 0;  // the step of b in the source
  Index result_a = 0;  // the step of a in the result
};

template <class T>
void turn_rows(const T* from, T* to, const Turn& turn, Index first, Index end) {
  for (Index j = 0; j < turn.b; j += kTile) {
    const Index last = std::min(turn.b, j + kTile);
    for (Index i = first; i < end; ++i) {
      const T* source = from + i;
      T* target = to + i * turn.result_a;
      for (Index k = j; k < last; ++k) target[k] = source[k * turn.source_b];
    }
  }
}

// The contiguous axis of the source, if it is not the last one; -1 if a simple copy is best.
int turned_axis(const Shape& shape, const Strides& strides) {
  const int last = shape.count() - 1;
  if (last < 1 || shape[last] < kTile || std::abs(strides[last]) == 1) return -1;
  for (int axis = 0; axis < last; ++axis)
    if (strides[axis] == 1 && shape[axis] >= kTile) return axis;
  return -1;
}

template <class T>
void copy_turned(const T* from, T* to, const Shape& shape, const Strides& strides, int axis) {
  const int last = shape.count() - 1;
  const auto rows = row_major_strides(shape);
  const Turn turn{shape[axis], shape[last], strides[last], rows[axis]};
  Shape others = shape;
  Strides source = strides, target = rows;
  for (const int gone : {last, axis}) {
    others.erase(gone);
    source.erase(gone);
    target.erase(gone);
  }
  const Index pieces = turn.a * turn.b < kLarge ? 1 : (turn.a + kTile - 1) / kTile;
  const Index each = (turn.a + pieces - 1) / pieces;
  for_each_run<2>(others, {source, target}, [&](const auto& at, const auto& step, Index n) {
    for (Index k = 0; k < n; ++k) {
      const T* part = from + at[0] + k * step[0];
      T* place = to + at[1] + k * step[1];
      in_parallel(pieces,
                  [&](Index p) { turn_rows(part, place, turn, p * each, std::min(turn.a, (p + 1) * each)); });
    }
  });
}

// Elements of a row that is walked through with one step.
template <class T>
void copy_line(const T* from, Index step, T* to, Index n) {
  if (step == 1)
    std::copy_n(from, n, to);
  else if (step == -1)
    std::reverse_copy(from - (n - 1), from + 1, to);
  else if (step == 0 && n > 0)
    std::fill_n(to, n, T(*from));
  else
    for (Index i = 0; i < n; ++i) to[i] = from[i * step];
}

}  // namespace

Array Array::copied() const {
  Array copy(type(), shape_);
  visit_type(type(), [&]<class T>(Tag<T>) {
    const auto* from = data<T>();
    auto* to = copy.mutable_data<T>();
    if constexpr (std::is_trivially_copyable_v<T>) {
      if (const int axis = turned_axis(shape_, strides_); axis >= 0)
        return copy_turned(from, to, shape_, strides_, axis);
      if (axes() == 1 && size_ >= kLarge) {
        const Index pieces = (size_ + kLarge - 1) / kLarge, step = strides_[0];
        ++passes_begun;
        in_parallel(pieces, [=, this](Index p) {
          copy_line(from + p * kLarge * step, step, to + p * kLarge, std::min(kLarge, size_ - p * kLarge));
        });
        return;
      }
    }
    for_each_run<1>(shape_, {strides_}, [&](const auto& at, const auto& step, Index n) {
      copy_line(from + at[0], step[0], to, n);
      to += n;
    });
  });
  copy.label = label;
  return copy;
}

}  // namespace quill
