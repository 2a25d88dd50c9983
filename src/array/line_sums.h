// Sums over the elements of a line, in the order of reduce(): blocks of 128 elements, each in eight
// interleaved partial sums, combined pairwise.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "array/reduce.h"
#include "base/parallel.h"
#include "base/processor.h"

namespace quill {

namespace line_sums {

template <class T, class F>
[[gnu::always_inline]] inline double leaf(const T* v, Index count, const F& f) {
  double l[8] = {};
  Index i = 0;
  for (; i + 8 <= count; i += 8)
    for (int k = 0; k < 8; ++k) l[k] += f(static_cast<double>(v[i + k]));
  for (int k = 0; i < count; ++i, ++k) l[k] += f(static_cast<double>(v[i]));
  return ((l[0] + l[1]) + (l[2] + l[3])) + ((l[4] + l[5]) + (l[6] + l[7]));
}

template <class T, class F>
[[gnu::always_inline]] inline void some_leaves(const T* v, Index count, const F& f, double* to) {
  for (Index i = 0; i < count; i += kSumBlock) *to++ = leaf(v + i, std::min(kSumBlock, count - i), f);
}

#ifdef __x86_64__
template <class T, class F>
[[gnu::target("avx2")]] void leaves_avx2(const T* v, Index count, const F& f, double* to) {
  some_leaves(v, count, f, to);
}
#endif

// The sums of the blocks.
template <class T, class F>
void leaves(const T* v, Index count, const F& f, double* to) {
#ifdef __x86_64__
  if (has_avx2()) return leaves_avx2(v, count, f, to);
#endif
  some_leaves(v, count, f, to);
}

inline double pairwise(const double* leaves, Index count) {
  if (count == 1) return leaves[0];
  return pairwise(leaves, count / 2) + pairwise(leaves + count / 2, count - count / 2);
}

}  // namespace line_sums

// The sum of f(x) over the elements x of a line, as float64 numbers. Long lines use several threads, with the
// same bits.
template <class T, class F>
double line_sum(std::span<const T> line, const F& f) {
  using namespace line_sums;
  const auto count = static_cast<Index>(line.size());
  if (count == 0) return 0;
  constexpr Index few = 64, in_piece = 512, many = Index{1} << 18;
  const Index blocks = (count + kSumBlock - 1) / kSumBlock;
  if (blocks <= few) {
    double sums[few];
    leaves(line.data(), count, f, sums);
    return pairwise(sums, blocks);
  }
  std::vector<double> sums(static_cast<std::size_t>(blocks));
  const auto piece = [&](Index p) {
    const Index begin = p * in_piece * kSumBlock;
    leaves(line.data() + begin, std::min(in_piece * kSumBlock, count - begin), f, sums.data() + p * in_piece);
  };
  const Index pieces = (blocks + in_piece - 1) / in_piece;
  if (count >= many)
    in_parallel(pieces, piece);
  else
    for (Index p = 0; p < pieces; ++p) piece(p);
  return pairwise(sums.data(), blocks);
}

template <class T>
double line_sum(std::span<const T> line) {
  return line_sum(line, [](double x) { return x; });
}

}  // namespace quill
