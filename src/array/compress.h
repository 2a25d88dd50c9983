// Compaction of elements selected by a mask.
#pragma once

#include <immintrin.h>

#include <cstdint>
#include <type_traits>

#include "array/shape.h"
#include "base/processor.h"

namespace quill {

namespace compressing {

// Scalar loop from mask[i] and to[k] to the end of the elements or of the room.
template <class T>
Index one_by_one(const T* from, const bool* mask, Index i, Index n, T* to, Index k, Index room) {
  const auto* m = reinterpret_cast<const std::uint8_t*>(mask);
  for (; i < n && k < room; ++i) {
    to[k] = from[i];
    k += m[i];
  }
  return k;
}

__attribute__((target("avx512f,avx512bw,avx512vl"))) inline Index by_eight(const std::uint64_t* from,
                                                                           const bool* mask, Index n,
                                                                           std::uint64_t* to, Index room) {
  constexpr Index width = 8;
  Index i = 0, k = 0;
  for (; i + width <= n && k + width <= room; i += width) {
    const __m128i bytes = _mm_loadl_epi64(reinterpret_cast<const __m128i*>(mask + i));
    const auto chosen = static_cast<__mmask8>(_mm_test_epi8_mask(bytes, bytes));
    _mm512_storeu_si512(to + k, _mm512_maskz_compress_epi64(chosen, _mm512_loadu_si512(from + i)));
    k += __builtin_popcount(chosen);
  }
  return one_by_one(from, mask, i, n, to, k, room);
}

}  // namespace compressing

// Copies the elements of from[0..n) where the mask is true to the start of `to`, which has room for `room`
// elements; elements beyond the returned count may be overwritten. Returns the count.
template <class T>
Index compress(const T* from, const bool* mask, Index n, T* to, Index room) {
  if constexpr (sizeof(T) == sizeof(std::uint64_t) && std::is_arithmetic_v<T>)
    if (has_avx512())
      return compressing::by_eight(reinterpret_cast<const std::uint64_t*>(from), mask, n,
                                   reinterpret_cast<std::uint64_t*>(to), room);
  return compressing::one_by_one(from, mask, 0, n, to, 0, room);
}

}  // namespace quill
