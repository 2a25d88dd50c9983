// Walking several arrays of one shape but different strides in row order, in runs along the last axis.
#pragma once

#include <array>

#include "array/shape.h"
#include "base/interrupt.h"
#include "base/memory.h"

namespace quill {

// Calls inner(offsets, steps, count) for every run; the runs cover all elements in row order. Axes that
// lie end to end in all N arrays are taken together, so that whole arrays in row order are one run. Work that
// must not stop half way goes on without looking for a stop.
template <std::size_t N, bool Stops = true, class Inner>
void for_each_run(const Shape& shape, std::array<Strides, N> strides, Inner&& inner) {
  ++passes_begun;
  Shape s = shape;
  for (int i = s.count() - 1; i > 0; --i) {
    bool together = true;
    for (std::size_t k = 0; k < N; ++k) together = together && strides[k][i - 1] == strides[k][i] * s[i];
    if (s[i] == 1 || s[i - 1] == 1) {
      const int gone = s[i] == 1 ? i : i - 1;
      s.erase(gone);
      for (auto& st : strides) st.erase(gone);
    } else if (together) {
      s[i - 1] *= s[i];
      s.erase(i);
      for (auto& st : strides) st.erase(i - 1);
    }
  }
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
    // Long runs are cut so that a stop is noticed in time.
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
