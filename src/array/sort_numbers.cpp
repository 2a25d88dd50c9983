#include "array/sort_numbers.h"

#include <algorithm>
#include <array>
#include <bit>
#include <boost/sort/pdqsort/pdqsort.hpp>
#include <cmath>
#include <type_traits>
#include <utility>

#include "array/buffer.h"
#include "base/interrupt.h"
#include "base/memory.h"
#include "base/parallel.h"

namespace quill {

namespace {

constexpr Index kFew = Index{1} << 9;         // are sorted by comparisons
constexpr Index kSortPiece = Index{1} << 20;  // seen by one thread at once; a stop is noticed in between
constexpr int kDigitBits = 11;                // whose counts stay in the first-level cache
constexpr std::size_t kDigits = std::size_t{1} << kDigitBits;

// Numbers as unsigned ones of the same size and order: the bits of floating point numbers are ordered but for
// the sign.
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

// A number and where it stood.
template <class T>
struct Placed {
  Key<T> key;
  Index place;
};
template <class T>
Key<T> key_of(const Placed<T>& x) {
  return x.key;
}

// Numbers are sorted by key, indexed ones also by index.
template <class T>
bool is_before(const T& a, const T& b) {
  return key_of(a) < key_of(b);
}
template <class T>
bool is_before(const Placed<T>& a, const Placed<T>& b) {
  return a.key < b.key || (a.key == b.key && a.place < b.place);
}

int width_of(std::uint64_t x) { return static_cast<int>(std::bit_width(x)); }
Index pieces_of(Index count) { return (count + kSortPiece - 1) / kSortPiece; }

// Calls f(piece, begin, end) for pieces of the elements, on all threads.
template <class F>
void for_pieces(Index count, F f) {
  in_parallel(pieces_of(count), [=](Index piece) {
    f(static_cast<std::size_t>(piece), piece * kSortPiece, std::min(count, (piece + 1) * kSortPiece));
  });
}

template <class Item>
class Sorter {
  static_assert(std::is_trivially_copyable_v<Item>);
  using Keys = decltype(key_of(Item{}));

 public:
  static void sort(Item* items, Index count) {
    ++passes_begun;
    if (is_sorted(items, count)) return;
    if (count <= kFew) return compare(items, count);
    const auto memory = room_for(count);
    spread(items, static_cast<Item*>(memory->data()), count, true);
  }

  static BufferPtr room_for(Index count) {
    constexpr auto word = static_cast<Index>(sizeof(double));
    return Buffer::make(ElementType::float64, (count * static_cast<Index>(sizeof(Item)) + word - 1) / word);
  }

 private:
  static void compare(Item* items, Index count) {
    boost::sort::pdqsort_branchless(items, items + count,
                                    [](const Item& a, const Item& b) { return is_before(a, b); });
  }

  static bool is_sorted(const Item* items, Index count) {
    for (Index at = 0; at < count; at += kSortPiece) {
      poll_interrupt();
      if (!std::is_sorted(items + at, items + std::min(count, at + kSortPiece + 1),
                          [](const Item& a, const Item& b) { return is_before(a, b); }))
        return false;
    }
    return true;
  }

  static std::pair<Keys, Keys> range_of(const Item* items, Index count) {
    std::vector<std::pair<Keys, Keys>> ranges(static_cast<std::size_t>(pieces_of(count)));
    for_pieces(count, [=, &ranges](std::size_t piece, Index begin, Index end) {
      Keys low = key_of(items[begin]), high = low;
      for (Index i = begin + 1; i < end; ++i) {
        low = std::min(low, key_of(items[i]));
        high = std::max(high, key_of(items[i]));
      }
      ranges[piece] = {low, high};
    });
    auto out = ranges[0];
    for (const auto& [low, high] : ranges) out = {std::min(out.first, low), std::max(out.second, high)};
    return out;
  }

  // Distributes by the first digit in which keys differ, recursively. The sorted items end up in `from` or,
  // if `back` is false, in `to`.
  static void spread(Item* from, Item* to, Index count, bool back) {
    Item* const result = back ? from : to;
    if (count <= kFew) {
      if (!back) std::copy(from, from + count, to);
      return compare(result, count);
    }
    const auto [low, high] = range_of(from, count);
    const int bits = std::min(kDigitBits, width_of(static_cast<std::uint64_t>(count)) - 3),
              shift = std::max(0, width_of(static_cast<Keys>(high - low)) - bits);
    const auto digit = [=, least = low](const Item& x) {
      return static_cast<std::size_t>(static_cast<Keys>(key_of(x) - least) >> shift);
    };
    std::vector<std::array<Index, kDigits>> places(static_cast<std::size_t>(pieces_of(count)));
    for_pieces(count, [=, &places](std::size_t piece, Index begin, Index end) {
      auto& counts = places[piece];
      for (Index i = begin; i < end; ++i) ++counts[digit(from[i])];
    });
    // From how often each digit is seen to where its first one goes.
    std::array<Index, kDigits + 1> starts;
    Index sum = 0;
    for (std::size_t d = 0; d < kDigits; ++d) {
      starts[d] = sum;
      for (auto& counts : places) sum += std::exchange(counts[d], sum);
    }
    starts[kDigits] = sum;
    for_pieces(count, [=, &places](std::size_t piece, Index begin, Index end) {
      auto& place = places[piece];
      for (Index i = begin; i < end; ++i) to[place[digit(from[i])]++] = from[i];
    });
    if (shift > 0) return spread_each(to, from, starts, !back);
    if (back) std::copy(to, to + count, from);
  }

  // Sorts the buckets: large ones with all threads, the others with one thread each.
  static void spread_each(Item* from, Item* to, const std::array<Index, kDigits + 1>& starts, bool back) {
    const auto one = [&](std::size_t d) {
      if (starts[d] < starts[d + 1])
        spread(from + starts[d], to + starts[d], starts[d + 1] - starts[d], back);
    };
    const auto is_large = [&](std::size_t d) { return starts[d + 1] - starts[d] > 2 * kSortPiece; };
    for (std::size_t d = 0; d < kDigits; ++d)
      if (is_large(d)) one(d);
    if (starts[kDigits] <= kSortPiece)
      for (std::size_t d = 0; d < kDigits; ++d) one(d);
    else
      in_parallel(kDigits, [&](Index d) {
        if (!is_large(static_cast<std::size_t>(d))) one(static_cast<std::size_t>(d));
      });
  }
};

}  // namespace

template <class T>
void sort_numbers(T* first, Index count, bool descending) {
  T* last = first + count;
  if constexpr (std::is_floating_point_v<T>) {
    const auto is_nan = [](T x) { return std::isnan(x); };
    if (std::any_of(first, last, is_nan))
      last = std::stable_partition(first, last, [](T x) { return !std::isnan(x); });
  }
  Sorter<T>::sort(first, last - first);
  if (descending) std::reverse(first, last);
}

template <class T>
std::vector<Index> order_of_numbers(const T* line, Index count, Index step, bool descending) {
  const auto memory = Sorter<Placed<T>>::room_for(count);
  auto* places = static_cast<Placed<T>*>(memory->data());
  for (Index i = 0; i < count; ++i) {
    auto x = line[i * step];
    if constexpr (std::is_floating_point_v<T>) x += T{0};  // -0 and 0 are equal
    auto key = key_of(x);
    if (descending) key = static_cast<Key<T>>(~key);
    if constexpr (std::is_floating_point_v<T>)
      if (std::isnan(x)) key = ~Key<T>{0};
    places[i] = {key, i};
  }
  Sorter<Placed<T>>::sort(places, count);
  std::vector<Index> out(static_cast<std::size_t>(count));
  for (Index i = 0; i < count; ++i) out[static_cast<std::size_t>(i)] = places[i].place;
  return out;
}

template void sort_numbers(double*, Index, bool);
template void sort_numbers(float*, Index, bool);
template void sort_numbers(std::int64_t*, Index, bool);
template void sort_numbers(std::int32_t*, Index, bool);
template void sort_numbers(std::uint8_t*, Index, bool);
template std::vector<Index> order_of_numbers(const double*, Index, Index, bool);
template std::vector<Index> order_of_numbers(const float*, Index, Index, bool);
template std::vector<Index> order_of_numbers(const std::int64_t*, Index, Index, bool);
template std::vector<Index> order_of_numbers(const std::int32_t*, Index, Index, bool);
template std::vector<Index> order_of_numbers(const std::uint8_t*, Index, Index, bool);

}  // namespace quill
