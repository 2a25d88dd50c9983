#include "blocks/order_statistics.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "base/memory.h"
#include "blocks/passes.h"

namespace quill {

namespace order_statistics {
namespace {

constexpr int kFirstBits = 20;  // sign, exponent and 8 bits of the fraction
constexpr int kMoreBits = 11;

// Fewer where memory is short: of the counts, and of the numbers collected.
int first_bits() {
  int bits = kFirstBits;
  while (bits > kMoreBits && is_beyond_ceiling(std::int64_t{4 * sizeof(Index)} << bits)) --bits;
  return bits;
}
Index collected_at_once() {
  Index most = most_collected();
  while (most > 1 && is_beyond_ceiling(4 * static_cast<std::int64_t>(sizeof(double)) * most)) most /= 2;
  return most;
}

// Unsigned integers in the order of the numbers.
std::uint64_t key_of(double x) {
  const auto bits = std::bit_cast<std::uint64_t>(x);
  constexpr auto sign = std::uint64_t{1} << 63;
  return bits & sign ? ~bits : bits | sign;
}

double number_of(std::uint64_t key) {
  constexpr auto sign = std::uint64_t{1} << 63;
  return std::bit_cast<double>(key & sign ? key & ~sign : ~key);
}

template <class F>
void for_each_number(const BlockSource& source, BlockFindings& findings, F f) {
  for_each_block(source, findings, [&](const Array& block) {
    const auto numbers = block.converted(ElementType::float64).compact();
    const double* const x = numbers.data<double>();
    for (Index k = 0; k < numbers.size(); ++k) f(x[k]);
  });
}

}  // namespace
}  // namespace order_statistics

using namespace order_statistics;

Index& most_collected() {
  static Index most = Index{1} << 23;
  return most;
}

OrderedBlocks::OrderedBlocks(const BlockSource& source, BlockFindings& findings)
    : source_(source),
      findings_(findings),
      first_bits_(first_bits()),
      counts_(std::size_t{1} << first_bits_) {
  for_each_number(source, findings, [&](double x) {
    if (std::isnan(x))
      ++nan_count_;
    else
      ++counts_[key_of(x) >> (64 - first_bits_)];
  });
  count_ = source.size() - nan_count_;
}

std::vector<OrderedBlocks::Interval> OrderedBlocks::containing(const std::vector<Index>& ranks) const {
  std::vector<Interval> out;
  Index before = 0;
  for (std::size_t prefix = 0; prefix < counts_.size(); ++prefix) {
    const Interval interval{prefix, before, counts_[prefix]};
    before += interval.count;
    if (std::any_of(ranks.begin(), ranks.end(),
                    [&](Index rank) { return rank >= interval.before && rank < before; }))
      out.push_back(interval);
  }
  return out;
}

// Counts the numbers of each interval, whose keys have the same first `bits`, by their next bits, in one
// pass. Returns the smaller intervals that contain ranks.
std::vector<OrderedBlocks::Interval> OrderedBlocks::divided(const std::vector<Interval>& intervals, int bits,
                                                            const std::vector<Index>& ranks) const {
  const int more = std::min(kMoreBits, 64 - bits);
  const auto parts = std::size_t{1} << more;
  std::vector<Index> counts(intervals.size() * parts);
  for_each_number(source_, findings_, [&](double x) {
    if (std::isnan(x)) return;
    const auto key = key_of(x);
    for (std::size_t k = 0; k < intervals.size(); ++k)
      if (key >> (64 - bits) == intervals[k].prefix)
        ++counts[k * parts + (key >> (64 - bits - more) & (parts - 1))];
  });
  std::vector<Interval> out;
  for (std::size_t k = 0; k < intervals.size(); ++k) {
    Index before = intervals[k].before;
    for (std::size_t part = 0; part < parts; ++part) {
      const Interval interval{intervals[k].prefix << more | part, before, counts[k * parts + part]};
      before += interval.count;
      if (std::any_of(ranks.begin(), ranks.end(),
                      [&](Index rank) { return rank >= interval.before && rank < before; }))
        out.push_back(interval);
    }
  }
  return out;
}

void OrderedBlocks::collect(const std::vector<Interval>& intervals, int bits, const std::vector<Index>& ranks,
                            std::vector<double>& out) const {
  std::vector<std::vector<double>> found(intervals.size());
  for (std::size_t k = 0; k < intervals.size(); ++k)
    found[k].reserve(static_cast<std::size_t>(intervals[k].count));
  for_each_number(source_, findings_, [&](double x) {
    if (std::isnan(x)) return;
    const auto prefix = key_of(x) >> (64 - bits);
    for (std::size_t k = 0; k < intervals.size(); ++k)
      if (prefix == intervals[k].prefix) found[k].push_back(x);
  });
  for (std::size_t k = 0; k < intervals.size(); ++k) {
    std::sort(found[k].begin(), found[k].end());
    for (std::size_t r = 0; r < ranks.size(); ++r)
      if (const Index at = ranks[r] - intervals[k].before; at >= 0 && at < intervals[k].count)
        out[r] = found[k][static_cast<std::size_t>(at)];
  }
}

std::vector<double> OrderedBlocks::at(const std::vector<Index>& ranks) const {
  std::vector<double> out(ranks.size());
  auto intervals = containing(ranks);
  int bits = first_bits_;
  const Index most = collected_at_once();
  const auto are_too_many = [&] {
    Index wanted = 0;
    for (const auto& interval : intervals) wanted += interval.count;
    return wanted > most;
  };
  while (bits < 64 && are_too_many()) {
    intervals = divided(intervals, bits, ranks);
    bits = std::min(64, bits + kMoreBits);
  }
  if (bits < 64) {
    collect(intervals, bits, ranks, out);
    return out;
  }
  // Each interval is one number.
  for (const auto& interval : intervals)
    for (std::size_t r = 0; r < ranks.size(); ++r)
      if (ranks[r] >= interval.before && ranks[r] < interval.before + interval.count)
        out[r] = number_of(interval.prefix);
  return out;
}

}  // namespace quill
