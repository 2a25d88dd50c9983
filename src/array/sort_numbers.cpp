// Tested by order_test.cpp.
#include "array/sort_numbers.h"

#include <algorithm>
#include <bit>
#include <boost/sort/spreadsort/integer_sort.hpp>
#include <cmath>
#include <memory>
#include <type_traits>
#include <vector>

#include "base/interrupt.h"
#include "base/memory.h"
#include "base/parallel.h"

namespace quill {

namespace {

constexpr Index kPiece = Index{1} << 18;  // sorted at once: a stop is noticed in between
constexpr Index kMerge = Index{1} << 18;  // merged at once

// Numbers as unsigned ones of the same size and order: the bits of floating point numbers are ordered but for
// the sign, and Boost's differences of signed ones would overflow.
template <class T>
using Key = std::conditional_t<sizeof(T) == 8, std::uint64_t,
                               std::conditional_t<sizeof(T) == 4, std::uint32_t, std::uint8_t>>;

template <class T>
Key<T> key_of(T x) {
  constexpr Key<T> sign = Key<T>{1} << (8 * sizeof(T) - 1);
  const auto bits = std::bit_cast<Key<T>>(x);
  if constexpr (std::is_floating_point_v<T>) return bits & sign ? ~bits : bits | sign;
  return std::is_signed_v<T> ? static_cast<Key<T>>(bits ^ sign) : bits;
}

template <class T>
T of_key(Key<T> key) {
  constexpr Key<T> sign = Key<T>{1} << (8 * sizeof(T) - 1);
  if constexpr (std::is_floating_point_v<T>) return std::bit_cast<T>(key & sign ? key ^ sign : ~key);
  return std::bit_cast<T>(std::is_signed_v<T> ? static_cast<Key<T>>(key ^ sign) : key);
}

template <class T>
void sort_piece(T* first, T* last) {
  std::vector<Key<T>> keys(static_cast<std::size_t>(last - first));
  std::transform(first, last, keys.begin(), key_of<T>);
  boost::sort::spreadsort::integer_sort(keys.begin(), keys.end());
  std::transform(keys.begin(), keys.end(), first, of_key<T>);
}

// How many of the first `taken` merged elements come from the left run, equal ones from the left first.
template <class T>
Index from_left(const T* left, Index lefts, const T* right, Index rights, Index taken) {
  Index low = std::max<Index>(0, taken - rights), high = std::min(taken, lefts);
  while (low < high) {
    const Index middle = low + (high - low) / 2;
    if (right[taken - middle - 1] < left[middle])
      high = middle;
    else
      low = middle + 1;
  }
  return low;
}

// Runs of so many elements each, of which neighbours are merged into `to`, by pieces of the result.
template <class T>
void merge_runs(const T* from, T* to, Index count, Index run) {
  const Index pieces = (count + kMerge - 1) / kMerge;
  in_parallel(pieces, [=](Index piece) {
    const Index begin = piece * kMerge, end = std::min(count, begin + kMerge);
    // A piece lies within one pair of runs, since runs are made of whole pieces.
    const Index pair = begin / (2 * run) * (2 * run);
    const Index lefts = std::min(run, count - pair), rights = std::min(run, count - pair - lefts);
    const T *left = from + pair, *right = left + lefts;
    const Index a = from_left(left, lefts, right, rights, begin - pair),
                b = from_left(left, lefts, right, rights, end - pair);
    std::merge(left + a, left + b, right + (begin - pair - a), right + (end - pair - b), to + begin);
  });
}

}  // namespace

template <class T>
void sort_numbers(T* first, Index count, bool falling) {
  T* last = first + count;
  if constexpr (std::is_floating_point_v<T>) {
    const auto is_nan = [](T x) { return std::isnan(x); };
    if (std::any_of(first, last, is_nan))
      last = std::stable_partition(first, last, [](T x) { return !std::isnan(x); });
    count = last - first;
  }
  ++passes_begun;
  if (count <= kPiece) {
    sort_piece(first, last);
  } else {
    in_parallel((count + kPiece - 1) / kPiece, [=](Index piece) {
      sort_piece(first + piece * kPiece, std::min(first + (piece + 1) * kPiece, last));
    });
    static_assert(kPiece % kMerge == 0);
    const std::unique_ptr<T[]> other(new T[static_cast<std::size_t>(count)]);
    T *from = first, *to = other.get();
    for (Index run = kPiece; run < count; run *= 2) {
      poll_interrupt();
      merge_runs(from, to, count, run);
      std::swap(from, to);
    }
    if (from != first) std::copy(from, from + count, first);
  }
  if (falling) std::reverse(first, last);
}

template void sort_numbers(double*, Index, bool);
template void sort_numbers(float*, Index, bool);
template void sort_numbers(std::int64_t*, Index, bool);
template void sort_numbers(std::int32_t*, Index, bool);
template void sort_numbers(std::uint8_t*, Index, bool);

}  // namespace quill
