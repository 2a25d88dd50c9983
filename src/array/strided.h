// Iteration over several arrays of one shape with different strides, in row order, in runs along the last
// axis.
#pragma once

#include <algorithm>
#include <array>
#include <span>

#include "array/shape.h"
#include "base/interrupt.h"
#include "base/memory.h"

namespace quill {

// Merges axes that are contiguous in all arrays, and removes axes of length 1.
inline void merge_axes(Shape& shape, std::span<Strides* const> strides) {
  for (int i = shape.count() - 1; i > 0; --i) {
    const bool is_contiguous = std::all_of(strides.begin(), strides.end(), [&](const Strides* of) {
      return (*of)[i - 1] == (*of)[i] * shape[i];
    });
    if (shape[i] == 1 || shape[i - 1] == 1) {
      const int gone = shape[i] == 1 ? i : i - 1;
      shape.erase(gone);
      for (auto* of : strides) of->erase(gone);
    } else if (is_contiguous) {
      shape[i - 1] *= shape[i];
      shape.erase(i);
      for (auto* of : strides) of->erase(i - 1);
    }
  }
}

// Calls inner(offsets, steps, count) for every run; the runs cover all elements in row order. Axes are
// merged, so row-major arrays are one run. With Stops false it does not poll, for work that must not stop
// half way.
template <std::size_t N, bool Stops = true, class Inner>
void for_each_run(const Shape& shape, std::array<Strides, N> strides, Inner&& inner) {
  ++passes_begun;
  Shape s = shape;
  std::array<Strides*, N> all;
  for (std::size_t k = 0; k < N; ++k) all[k] = &strides[k];
  merge_axes(s, all);
  for (const auto extent : s)
    if (extent == 0) return;
  std::array<Index, N> offsets{};
  std::array<Index, N> steps{};
  if (s.empty()) {
    inner(offsets, steps, Index{1});
    return;
  }
  const int last = s.count() - 1;
  for (std::size_t k = 0; k < N; ++k) steps[k] = strides[k][last];
  std::array<Index, kMostAxes> position{};
  Index since_poll = 0;
  constexpr Index poll_every = 1 << 16;
  while (true) {
    // Long runs are divided, so that polls are frequent enough.
    for (Index done = 0; done < s[last];) {
      const auto count = std::min<Index>(s[last] - done, poll_every);
      auto at = offsets;
      for (std::size_t k = 0; k < N; ++k) at[k] += done * steps[k];
      inner(at, steps, count);
      done += count;
      since_poll += count;
      if (since_poll >= poll_every) {
        if constexpr (Stops) poll_interrupt();
        since_poll = 0;
      }
    }
    int axis = last - 1;
    for (; axis >= 0; --axis) {
      for (std::size_t k = 0; k < N; ++k) offsets[k] += strides[k][axis];
      if (++position[axis] < s[axis]) break;
      for (std::size_t k = 0; k < N; ++k) offsets[k] -= strides[k][axis] * s[axis];
      position[axis] = 0;
    }
    if (axis < 0) return;
  }
}

}  // namespace quill
