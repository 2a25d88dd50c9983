#include "array/grouped.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cmath>

#include "array/line_sums.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "base/parallel.h"

namespace quill {

namespace grouped_rows {

namespace {

constexpr Index kMostSlots = Index{1} << 16;
constexpr Index kMostPieces = 8;

std::pair<Index, Index> bounds_of_piece(Index rows, Index piece, Index pieces) {
  return {rows * piece / pieces, rows * (piece + 1) / pieces};
}

constexpr auto kBlock = static_cast<std::uint32_t>(kSumBlock);
using Lanes = std::array<double, 8>;

double combined(const Lanes& l) { return ((l[0] + l[1]) + (l[2] + l[3])) + ((l[4] + l[5]) + (l[6] + l[7])); }

}  // namespace

}  // namespace grouped_rows

using namespace grouped_rows;

template <class F>
void GroupedRows::for_each_row(Index from, Index to, const F& f) const {
  constexpr Index stretch = Index{1} << 18;
  for (Index begin = from; begin < to; begin += stretch) {
    poll_interrupt();
    const Index end = std::min(to, begin + stretch);
    if (!keys_) {
      for (Index k = begin; k < end; ++k)
        f(k, static_cast<std::size_t>(ranks_.of[static_cast<std::size_t>(k)]));
      continue;
    }
    visit_numeric(keys_->type(), [&]<class T>(Tag<T>) {
      if constexpr (std::is_integral_v<T>) {
        const T* const key = keys_->data<T>();
        const Index step = keys_->strides()[0];
        for (Index k = begin; k < end; ++k)
          f(k, static_cast<std::size_t>(static_cast<std::int64_t>(key[k * step]) - low_));
      }
    });
  }
}

namespace grouped_rows {
namespace {

// Keys lie `step` apart, in rows that are divided into pieces.
template <class Key>
struct Keys {
  const Key* first;
  Index step, rows, pieces;
  std::int64_t at(Index row) const { return static_cast<std::int64_t>(first[row * step]); }
};

struct KeyRange {
  std::int64_t low = 0, high = 0;
  void add(std::int64_t key) {
    low = std::min(low, key);
    high = std::max(high, key);
  }
  std::uint64_t width() const { return static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low); }
};

template <class Key>
KeyRange range_of(const Keys<Key>& keys) {
  std::vector<KeyRange> ranges(static_cast<std::size_t>(keys.pieces));
  in_parallel(keys.pieces, [&](Index p) {
    const auto [begin, end] = bounds_of_piece(keys.rows, p, keys.pieces);
    KeyRange range{keys.at(begin), keys.at(begin)};
    for (Index k = begin; k < end; ++k) range.add(keys.at(k));
    ranges[static_cast<std::size_t>(p)] = range;
  });
  for (const auto& each : ranges) {
    ranges[0].add(each.low);
    ranges[0].add(each.high);
  }
  return ranges[0];
}

// The range of some of the keys, from the first to the last row, and a little more: nearly always that of
// all.
template <class Key>
KeyRange likely_range_of(const Keys<Key>& keys) {
  constexpr Index some = 4096;
  KeyRange range{keys.at(0), keys.at(keys.rows - 1)};
  if (range.low > range.high) std::swap(range.low, range.high);
  for (Index k = 0; k < some; ++k) range.add(keys.at(keys.rows * k / some));
  constexpr std::int64_t far = std::int64_t{1} << 62;
  if (range.low > -far && range.high < far) {
    const auto more = static_cast<std::int64_t>(range.width() / 64) + 8;
    range.low -= more;
    range.high += more;
  }
  return range;
}

struct KeyCount {
  std::int32_t rows = 0, first = 0;
};

// For each piece the numbers of keys from low to high; nothing if there are others.
template <class Key>
std::optional<std::vector<std::vector<KeyCount>>> counted(const Keys<Key>& keys, const KeyRange& range) {
  const auto width = range.width();
  std::vector<std::vector<KeyCount>> counts(static_cast<std::size_t>(keys.pieces),
                                            std::vector<KeyCount>(width + 1));
  std::atomic<bool> has_others = false;
  in_parallel(keys.pieces, [&, low = static_cast<std::uint64_t>(range.low)](Index p) {
    const auto [begin, end] = bounds_of_piece(keys.rows, p, keys.pieces);
    auto* const of = counts[static_cast<std::size_t>(p)].data();
    for (Index k = begin; k < end; ++k) {
      const auto slot = static_cast<std::uint64_t>(keys.at(k)) - low;
      if (slot > width) {
        has_others = true;
        return;
      }
      auto& count = of[slot];
      if (count.rows++ == 0) count.first = static_cast<std::int32_t>(k);
    }
  });
  if (has_others) return std::nullopt;
  return counts;
}

}  // namespace
}  // namespace grouped_rows

// Counts keys by their values; false if their range is too wide.
template <class Key>
bool GroupedRows::count_keys(const Array& array) {
  const Keys<Key> keys{array.data<Key>(), array.strides()[0], rows_,
                       static_cast<Index>(std::bit_floor(
                           static_cast<std::uint64_t>(std::clamp<Index>(rows_ / 65536, 1, kMostPieces))))};
  const auto is_too_wide = [&](const KeyRange& range) {
    return range.width() >= static_cast<std::uint64_t>(std::min(kMostSlots, rows_ + 64));
  };
  auto range = likely_range_of(keys);
  auto counts = is_too_wide(range) ? std::nullopt : counted(keys, range);
  if (!counts) {
    range = range_of(keys);
    if (is_too_wide(range)) return false;
    counts = counted(keys, range);
  }
  low_ = range.low;
  const auto slots = static_cast<std::size_t>(range.width()) + 1;
  sizes_.assign(slots, 0);
  firsts_.assign(slots, 0);
  for (const auto& piece : *counts) {
    before_.emplace_back(sizes_.begin(), sizes_.end());
    for (std::size_t slot = 0; slot < slots; ++slot) {
      if (sizes_[slot] == 0) firsts_[slot] = piece[slot].first;
      sizes_[slot] += piece[slot].rows;
    }
  }
  return true;
}

std::optional<GroupedRows> GroupedRows::by(const std::vector<Array>& keys) {
  GroupedRows out;
  out.rows_ = keys[0].size();
  constexpr Index most = Index{1} << 30;  // row numbers fit in 32 bits
  if (out.rows_ == 0 || out.rows_ > most) return std::nullopt;
  if (keys.size() == 1) {
    const bool is_counted = visit_type(keys[0].type(), [&]<class T>(Tag<T>) {
      if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool>)
        return out.count_keys<T>(keys[0]);
      else
        return false;
    });
    if (is_counted) {
      out.keys_ = &keys[0];
      return out;
    }
  }
  std::vector<Ranks> ranks;
  for (const auto& column : keys) ranks.push_back(distinct_ranks(column));
  out.ranks_ = ranks.size() == 1 ? std::move(ranks[0]) : distinct_ranks(ranks);
  if (out.ranks_.count > kMostSlots) return std::nullopt;
  out.sizes_.assign(static_cast<std::size_t>(out.ranks_.count), 0);
  out.firsts_.assign(out.sizes_.size(), 0);
  out.for_each_row([&](Index k, std::size_t slot) {
    if (out.sizes_[slot]++ == 0) out.firsts_[slot] = k;
  });
  return out;
}

template <class T, class Of>
std::vector<T> GroupedRows::of_groups(const Of& of) const {
  std::vector<T> out;
  for (std::size_t slot = 0; slot < sizes_.size(); ++slot)
    if (sizes_[slot] > 0) out.push_back(of(slot));
  return out;
}

std::vector<Index> GroupedRows::sizes() const {
  return of_groups<Index>([&](std::size_t slot) { return sizes_[slot]; });
}

std::vector<Index> GroupedRows::first_rows() const {
  return of_groups<Index>([&](std::size_t slot) { return firsts_[slot]; });
}

// The sums of blocks of kSumBlock elements of each group, one after the other, each in eight lanes. Pieces of
// the rows are summed at the same time: the elements of a block that a piece before began are put aside, and
// added afterwards in their order.
class GroupedRows::Sums {
 public:
  Sums(const GroupedRows& groups, const Array& column)
      : groups_(groups), x_(column.data<double>()), step_(column.strides()[0]), slots_(groups.sizes_.size()) {
    leaf_.assign(slots_ + 1, 0);
    for (std::size_t slot = 0; slot < slots_; ++slot)
      leaf_[slot + 1] = leaf_[slot] + (groups.sizes_[slot] + kBlock - 1) / kBlock;
    leaves_.resize(static_cast<std::size_t>(leaf_.back()));
    // At most half of the elements are put aside.
    Index pieces = 1;
    const auto counted = static_cast<Index>(groups.before_.size());
    while (2 * pieces <= counted && 4 * pieces * static_cast<Index>(slots_) * kSumBlock <= groups.rows_)
      pieces *= 2;
    pieces_.resize(static_cast<std::size_t>(pieces));
    in_parallel(pieces, [&](Index p) { sum_piece(p, pieces, counted); });
  }

  double of(std::size_t slot) {
    Lanes open{};
    const auto first_leaf = static_cast<std::size_t>(leaf_[slot]);
    for (const auto& piece : pieces_) {
      const auto begin = piece.begin[slot], whole = block_end(begin), end = piece.seen[slot].end;
      for (auto n = begin; n < std::min(whole, end); ++n)
        open[n & 7] += piece.aside[slot * kBlock + n % kBlock];
      if (whole > begin && end >= whole) {
        leaves_[first_leaf + whole / kBlock - 1] = combined(open);
        open = {};
      }
      if (end > whole && end % kBlock != 0) open = piece.lanes[slot];
    }
    const auto size = pieces_.back().seen[slot].end;
    if (size % kBlock != 0) leaves_[first_leaf + size / kBlock] = combined(open);
    return line_sums::pairwise(leaves_.data() + leaf_[slot], leaf_[slot + 1] - leaf_[slot]);
  }

 private:
  struct Piece {
    // Which elements of each group are in the piece. `end` counts up as they are added; those before `whole`
    // are put aside.
    struct Seen {
      std::uint32_t end = 0, whole = 0;
    };
    std::vector<std::uint32_t> begin;
    std::vector<Seen> seen;
    std::vector<Lanes> lanes;   // of the block that is not complete
    std::vector<double> aside;  // elements of the block that a piece before began, at their place in it
  };

  static std::uint32_t block_end(std::uint32_t n) { return (n + kBlock - 1) / kBlock * kBlock; }

  void sum_piece(Index p, Index pieces, Index counted) {
    auto& piece = pieces_[static_cast<std::size_t>(p)];
    piece.begin.assign(slots_, 0);
    if (p > 0) {
      const auto& before = groups_.before_[static_cast<std::size_t>(p * (counted / pieces))];
      piece.begin.assign(before.begin(), before.end());
      piece.aside.resize(slots_ * kBlock);
    }
    for (const auto begin : piece.begin) piece.seen.push_back({begin, block_end(begin)});
    piece.lanes.resize(slots_);
    const auto [first, last] = bounds_of_piece(groups_.rows_, p, pieces);
    auto* const seen = piece.seen.data();
    auto* const lanes = piece.lanes.data();
    double* const aside = piece.aside.data();
    groups_.for_each_row(first, last, [seen, lanes, aside, this](Index k, std::size_t slot) {
      const auto [n, whole] = seen[slot];
      seen[slot].end = n + 1;
      const double value = x_[k * step_];
      if (n < whole) {
        aside[slot * kBlock + n % kBlock] = value;
        return;
      }
      auto& lane = lanes[slot];
      lane[n & 7] += value;
      if ((n + 1) % kBlock != 0) return;
      leaves_[static_cast<std::size_t>(leaf_[slot]) + n / kBlock] = combined(lane);
      lane = {};
    });
  }

  const GroupedRows& groups_;
  const double* x_;
  Index step_;
  std::size_t slots_;
  std::vector<Index> leaf_;  // of the first block of each group
  std::vector<double> leaves_;
  std::vector<Piece> pieces_;
};

std::vector<double> GroupedRows::sums(const Array& column) const {
  Sums sums(*this, column);
  return of_groups<double>([&](std::size_t slot) { return sums.of(slot); });
}

std::vector<double> GroupedRows::extremes(const Array& column, bool maximum) const {
  std::vector<double> best(sizes_.size(), maximum ? -INFINITY : INFINITY);
  const double* const x = column.data<double>();
  const Index step = column.strides()[0];
  for_each_row([&, x, step](Index k, std::size_t slot) {
    const double value = x[k * step];
    double& so_far = best[slot];
    if (maximum ? value > so_far : value < so_far) so_far = value;
    if (value == 0 && so_far == 0 && std::signbit(value) != maximum) so_far = value;
  });
  return of_groups<double>([&](std::size_t slot) { return best[slot]; });
}

}  // namespace quill
