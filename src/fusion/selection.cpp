#include "fusion/selection.h"

#include <algorithm>
#include <cstring>
#include <utility>

#include "base/memory.h"
#include "base/parallel.h"
#include "fusion/kernels.h"

namespace quill::fusion {

namespace {

constexpr Index kByte = 8;

// Booleans are bytes that are 0 or 1: the n-th of eight becomes the n-th bit.
std::uint8_t packed(const bool* booleans) {
  std::uint64_t eight = 0;
  std::memcpy(&eight, booleans, sizeof eight);
  return static_cast<std::uint8_t>(eight * 0x0102040810204080U >> 56);
}
void unpack(std::uint8_t bits, bool* booleans) {
  constexpr std::uint64_t each = 0x0101010101010101U;
  const std::uint64_t own_bits = bits * each & 0x8040201008040201U;
  const std::uint64_t eight = (own_bits + 0x7f * each) >> 7 & each;
  std::memcpy(booleans, &eight, sizeof eight);
}

}  // namespace

Selection::Selection(const Array& booleans)
    : shape_(booleans.shape()), condition_(booleans.compact()), mask_(condition_.data<bool>()) {
  const Index stretches = (size() + kStretch - 1) / kStretch;
  before_.resize(static_cast<std::size_t>(stretches));
  ++passes_begun;
  constexpr Index at_once = 64;  // stretches
  in_parallel((stretches + at_once - 1) / at_once, [&](Index piece) {
    const Index end = std::min(stretches, (piece + 1) * at_once);
    for (Index s = piece * at_once; s < end; ++s)
      before_[static_cast<std::size_t>(s)] =
          kernels().count(mask_ + s * kStretch, std::min(kStretch, size() - s * kStretch));
  });
  for (auto& stretch : before_) count_ += std::exchange(stretch, count_);
}

void Selection::append(const bool* booleans, Index n) {
  for (Index from = 0; from < n; from += kStretch) {
    const Index some = std::min(kStretch, n - from);
    before_.push_back(count_);
    count_ += kernels().count(booleans + from, some);
  }
  Index i = 0;
  for (; i + kByte <= n; i += kByte) bits_.push_back(packed(booleans + i));
  if (i == n) return;
  bool last[kByte] = {};
  std::copy(booleans + i, booleans + n, last);
  bits_.push_back(packed(last));
}

Index Selection::index_of(Index number) const {
  const auto stretch = std::upper_bound(before_.begin(), before_.end(), number) - before_.begin() - 1;
  bool room[kStretch + kRoom];
  const Index first = stretch * kStretch;
  const bool* const mask = booleans(first, std::min(kStretch, size() - first), room);
  Index left = number - before_[static_cast<std::size_t>(stretch)];
  for (Index k = 0;; ++k)
    if (mask[k] && left-- == 0) return first + k;
}

const bool* Selection::booleans(Index place, Index n, bool* room) const {
  if (mask_) return mask_ + place;
  const Index first = place / kByte, end = (place + n + kByte - 1) / kByte;
  for (Index k = first; k < end; ++k) unpack(bits_[static_cast<std::size_t>(k)], room + (k - first) * kByte);
  return room + place % kByte;
}

}  // namespace quill::fusion
