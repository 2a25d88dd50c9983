// Calls of a function for the lines of an array along an axis, whose elements it gets side by side.
#pragma once

#include <algorithm>
#include <cstdlib>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "array/array.h"
#include "array/strided.h"
#include "base/parallel.h"

namespace quill {

namespace each_line {

// Neighbouring lines.
struct Piece {
  Index from, step;  // of the first elements
  Index lines, first;
};

inline constexpr Index kMany = Index{1} << 17;  // elements of an array worth several threads

template <class T>
void gather(const T* from, Index step, Index count, const Piece& piece, T* to) {
  if (std::abs(piece.step) <= std::abs(step)) {
    for (Index i = 0; i < count; ++i)
      for (Index k = 0; k < piece.lines; ++k) to[k * count + i] = from[k * piece.step + i * step];
  } else {
    for (Index k = 0; k < piece.lines; ++k)
      for (Index i = 0; i < count; ++i) to[k * count + i] = from[k * piece.step + i * step];
  }
}

}  // namespace each_line

// f(k, line) for line k along the axis, in row order of the other axes; without an axis all elements in row
// order are the one line. Large arrays use several threads: f may not touch reference counts. Scratch: at
// most 32 MB for each thread, or one line.
template <class T, class F>
void for_each_line(const Array& a, std::optional<int> axis, const F& f) {
  using namespace each_line;
  if (!axis) {
    const auto rows = a.compact();
    ++passes_begun;
    f(Index{0}, std::span<const T>(rows.template data<T>(), static_cast<std::size_t>(rows.size())));
    return;
  }
  Shape others = a.shape();
  Strides strides = a.strides();
  const Index count = others[*axis], step = strides[*axis];
  others.erase(*axis);
  strides.erase(*axis);
  constexpr Index small = Index{1} << 15, most = Index{1} << 25;  // bytes
  const Index bytes = std::max<Index>(1, count * static_cast<Index>(sizeof(T)));
  const bool is_adjacent = step == 1 || count <= 1;
  const Index least = bytes <= small / 2 ? 64 : 16;
  const Index at_once = std::max<Index>(
      1, is_adjacent ? small / bytes : std::min(std::max(least, small / bytes), most / bytes));
  std::vector<Piece> pieces;
  Index first = 0;
  for_each_run<1>(others, {strides}, [&](const auto& at, const auto& by, Index n) {
    for (Index i = 0; i < n; i += at_once)
      pieces.push_back({at[0] + i * by[0], by[0], std::min(at_once, n - i), first + i});
    first += n;
  });
  const T* const data = a.data<T>();
  const auto work = [&, data](Index p) {
    const auto& piece = pieces[static_cast<std::size_t>(p)];
    const auto size = static_cast<std::size_t>(count);
    const T* from = data + piece.from;
    if (is_adjacent) {
      for (Index k = 0; k < piece.lines; ++k)
        f(piece.first + k, std::span<const T>(from + k * piece.step, size));
      return;
    }
    const auto lines = std::make_unique_for_overwrite<T[]>(size * static_cast<std::size_t>(piece.lines));
    gather(from, step, count, piece, lines.get());
    for (Index k = 0; k < piece.lines; ++k)
      f(piece.first + k, std::span<const T>(lines.get() + k * count, size));
  };
  const auto number = static_cast<Index>(pieces.size());
  if (a.size() >= kMany && number > 1) return in_parallel(number, work);
  for (Index p = 0; p < number; ++p) work(p);
}

}  // namespace quill
