#include "array/grouped.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "array/line_sums.h"
#include "array/reduce.h"
#include "base/interrupt.h"
#include "base/parallel.h"

namespace quill {

namespace grouped_rows {

namespace {

constexpr Index kMostSlots = Index{1} << 16;

double combined(const double* l) { return ((l[0] + l[1]) + (l[2] + l[3])) + ((l[4] + l[5]) + (l[6] + l[7])); }

}  // namespace

}  // namespace grouped_rows

using namespace grouped_rows;

template <class F>
void GroupedRows::for_each_row(const F& f) const {
  constexpr Index stretch = Index{1} << 18;
  for (Index begin = 0; begin < rows_; begin += stretch) {
    poll_interrupt();
    const Index end = std::min(rows_, begin + stretch);
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

// Counts keys by their values; false if their range is too wide.
template <class Key>
bool GroupedRows::count_keys(const Array& keys) {
  const Key* const key = keys.data<Key>();
  const Index step = keys.strides()[0];
  constexpr Index most_pieces = 8;
  const Index pieces = std::clamp<Index>(rows_ / 65536, 1, most_pieces);
  const auto bounds = [&](Index k) { return std::pair(rows_ * k / pieces, rows_ * (k + 1) / pieces); };
  std::array<std::pair<Key, Key>, most_pieces> ranges;
  in_parallel(pieces, [&](Index p) {
    const auto [begin, end] = bounds(p);
    Key low = key[begin * step], high = low;
    for (Index k = begin; k < end; ++k) {
      low = std::min(low, key[k * step]);
      high = std::max(high, key[k * step]);
    }
    ranges[static_cast<std::size_t>(p)] = {low, high};
  });
  auto [low, high] = ranges[0];
  for (Index p = 1; p < pieces; ++p) {
    low = std::min(low, ranges[static_cast<std::size_t>(p)].first);
    high = std::max(high, ranges[static_cast<std::size_t>(p)].second);
  }
  const auto width = static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low);
  if (width >= static_cast<std::uint64_t>(std::min(kMostSlots, rows_ + 64))) return false;
  struct Count {
    std::int32_t rows = 0, first = 0;
  };
  std::vector<std::vector<Count>> counts(static_cast<std::size_t>(pieces), std::vector<Count>(width + 1));
  in_parallel(pieces, [&, least = low](Index p) {
    const auto [begin, end] = bounds(p);
    auto* const of = counts[static_cast<std::size_t>(p)].data();
    for (Index k = begin; k < end; ++k) {
      auto& count = of[static_cast<std::int64_t>(key[k * step]) - static_cast<std::int64_t>(least)];
      if (count.rows++ == 0) count.first = static_cast<std::int32_t>(k);
    }
  });
  low_ = static_cast<std::int64_t>(low);
  sizes_.assign(width + 1, 0);
  firsts_.assign(width + 1, 0);
  for (const auto& piece : counts)
    for (std::size_t slot = 0; slot <= width; ++slot) {
      if (sizes_[slot] == 0) firsts_[slot] = piece[slot].first;
      sizes_[slot] += piece[slot].rows;
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

std::vector<double> GroupedRows::sums(const Array& column) const {
  // The sums of blocks of kSumBlock elements of each group, one after the other.
  std::vector<Index> leaf(sizes_.size() + 1, 0);
  for (std::size_t slot = 0; slot < sizes_.size(); ++slot)
    leaf[slot + 1] = leaf[slot] + (sizes_[slot] + kSumBlock - 1) / kSumBlock;
  std::vector<double> leaves(static_cast<std::size_t>(leaf.back())), lanes(8 * sizes_.size(), 0.0);
  std::vector<std::int32_t> seen(sizes_.size(), 0);
  const double* const x = column.data<double>();
  const Index step = column.strides()[0];
  for_each_row([&, x, step](Index k, std::size_t slot) {
    const auto n = seen[slot]++;
    double* const lane = lanes.data() + 8 * slot;
    lane[n & 7] += x[k * step];
    if ((n + 1) % kSumBlock != 0) return;
    leaves[static_cast<std::size_t>(leaf[slot] + n / kSumBlock)] = combined(lane);
    std::fill_n(lane, 8, 0.0);
  });
  return of_groups<double>([&](std::size_t slot) {
    if (sizes_[slot] % kSumBlock != 0)
      leaves[static_cast<std::size_t>(leaf[slot + 1] - 1)] = combined(lanes.data() + 8 * slot);
    return line_sums::pairwise(leaves.data() + leaf[slot], leaf[slot + 1] - leaf[slot]);
  });
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
