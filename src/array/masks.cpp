// Elements chosen by conditions.
#include <fmt/format.h>

#include <algorithm>
#include <type_traits>

#include "array/axis_names.h"
#include "array/compress.h"
#include "array/index.h"
#include "array/strided.h"
#include "base/memory.h"
#include "base/parallel.h"

namespace quill {

namespace {

constexpr Index kMaskPiece = 1 << 16;  // elements that a thread takes at a time

void check_mask(const Array& a, const Array& mask) {
  if (!(mask.shape() == a.shape()))
    fail(fmt::format("a mask of shape {} does not fit an array of shape {}", text_of(mask.shape()),
                     text_of(a.shape())),
         "a mask must have the shape of the array");
}

// Calls f(offset) for every element of a where the mask is true.
template <bool Stops = true, class F>
void for_each_true(const Array& a, const Array& mask, F f) {
  const bool* m = mask.data<bool>();
  for_each_run<2, Stops>(a.shape(), {a.strides(), mask.strides()},
                         [&](const auto& at, const auto& step, Index n) {
                           for (Index i = 0; i < n; ++i)
                             if (m[at[1] + i * step[1]]) f(at[0] + i * step[0]);
                         });
}

// Booleans are bytes that are 0 or 1.
Index count_true(const bool* mask, Index n) {
  const auto* m = reinterpret_cast<const std::uint8_t*>(mask);
  Index count = 0;
  for (Index i = 0; i < n; ++i) count += m[i];
  return count;
}

// Of arrays in row order: the pieces are counted first, so that each knows where its elements go.
template <class T>
Array select_in_pieces(const Array& a, const Array& mask) {
  passes_begun += 2;
  const Index n = a.size(), pieces = (n + kMaskPiece - 1) / kMaskPiece;
  const bool* m = mask.data<bool>();
  std::vector<Index> ends(static_cast<std::size_t>(pieces));
  in_parallel(pieces, [&](Index p) {
    ends[static_cast<std::size_t>(p)] =
        count_true(m + p * kMaskPiece, std::min(kMaskPiece, n - p * kMaskPiece));
  });
  for (std::size_t p = 1; p < ends.size(); ++p) ends[p] += ends[p - 1];
  Array out(a.type(), {ends.empty() ? 0 : ends.back()});
  const T* from = a.data<T>();
  T* to = out.mutable_data<T>();
  in_parallel(pieces, [&](Index p) {
    const Index first = p == 0 ? 0 : ends[static_cast<std::size_t>(p) - 1];
    compress(from + p * kMaskPiece, m + p * kMaskPiece, std::min(kMaskPiece, n - p * kMaskPiece), to + first,
             ends[static_cast<std::size_t>(p)] - first);
  });
  return out;
}

}  // namespace

Array select_mask(const Array& a, const Array& mask) {
  check_mask(a, mask);
  Array out = visit_type(a.type(), [&]<class T>(Tag<T>) {
    if constexpr (std::is_trivially_copyable_v<T>)
      if (a.is_row_major() && mask.is_row_major()) return select_in_pieces<T>(a, mask);
    Index count = 0;
    for_each_true(a, mask, [&](Index) { ++count; });
    Array chosen(a.type(), {count});
    const T* from = a.data<T>();
    T* to = chosen.mutable_data<T>();
    for_each_true(a, mask, [&](Index offset) { *to++ = from[offset]; });
    return chosen;
  });
  out.label = with_axis_names(a.label, {});
  return out;
}

namespace {

// One number wherever the mask is true.
template <class T>
void fill_where(T* to, const bool* mask, Index n, T value) {
  const auto* m = reinterpret_cast<const std::uint8_t*>(mask);
  ++passes_begun;
  in_parallel_to_the_end((n + kMaskPiece - 1) / kMaskPiece, [=](Index p) {
    const Index end = std::min(n, (p + 1) * kMaskPiece);
    for (Index i = p * kMaskPiece; i < end; ++i) to[i] = m[i] != 0 ? value : to[i];
  });
}

}  // namespace

void assign_mask(Array& a, const Array& mask, const Array& given) {
  check_mask(a, mask);
  const bool is_one = given.axes() == 0;
  Index count = 0;
  if (!is_one) for_each_true(a, mask, [&](Index) { ++count; });
  const bool one_each = given.axes() == 1 && given.size() == count;
  if (!one_each && !is_one &&
      !(can_broadcast(given.shape(), a.shape()) && broadcast_shapes(given.shape(), a.shape()) == a.shape()))
    fail(fmt::format("values of shape {} do not fit: the mask is true for {} elements of {}",
                     text_of(given.shape()), count, text_of(a.shape())));
  const Array values = given.buffer() == a.buffer() ? given.copied() : given;
  if (holds_times(given)) {
    bool is_any = false;
    for_each_true(a, mask, [&](Index) { is_any = true; });
    if (is_any) become_times_like(a, given);
  }
  visit_type(a.type(), [&]<class T>(Tag<T>) {
    T* to = a.mutable_data<T>();
    if (one_each) {
      const T* from = values.data<T>();
      for_each_true<false>(a, mask, [&](Index offset) {
        to[offset] = *from;
        from += values.strides()[0];
      });
      return;
    }
    if constexpr (std::is_trivially_copyable_v<T>)
      if (is_one && a.is_row_major() && mask.is_row_major())
        return fill_where(to, mask.data<bool>(), a.size(), *values.data<T>());
    const bool* m = mask.data<bool>();
    const T* from = values.data<T>();
    for_each_run<3, false>(
        a.shape(),
        {a.strides(), mask.strides(), stretched_strides(values.shape(), values.strides(), a.shape())},
        [&](const auto& at, const auto& step, Index n) {
          for (Index i = 0; i < n; ++i)
            if (m[at[1] + i * step[1]]) to[at[0] + i * step[0]] = from[at[2] + i * step[2]];
        });
  });
}

}  // namespace quill
