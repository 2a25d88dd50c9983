// Order statistics of sources that need not fit into memory.
#pragma once

#include <cstdint>
#include <vector>

#include "blocks/block_source.h"

namespace quill {

// The numbers of a real source in ascending order, without nan, as float64. The constructor reads all
// elements once and counts them by intervals. at() reads them again and keeps those of the intervals that
// contain the requested ranks: in one pass, or in several if many elements are nearly equal.
class OrderedBlocks {
 public:
  OrderedBlocks(const BlockSource& source, BlockFindings& findings);

  Index count() const { return count_; }          // numbers
  Index nan_count() const { return nan_count_; }  // elements that are nan
  // The numbers at ranks from 0 to count() - 1, in the order of the request.
  std::vector<double> at(const std::vector<Index>& ranks) const;

 private:
  // Numbers whose keys begin with the same bits.
  struct Interval {
    std::uint64_t prefix = 0;
    Index before = 0, count = 0;
  };
  std::vector<Interval> containing(const std::vector<Index>& ranks) const;
  std::vector<Interval> divided(const std::vector<Interval>& intervals, int bits,
                                const std::vector<Index>& ranks) const;
  void collect(const std::vector<Interval>& intervals, int bits, const std::vector<Index>& ranks,
               std::vector<double>& out) const;

  const BlockSource& source_;
  BlockFindings& findings_;
  int first_bits_;
  std::vector<Index> counts_;  // by the first bits of the keys
  Index count_ = 0, nan_count_ = 0;
};

// The number of elements that a request holds in memory at most; tests lower it.
Index& most_collected();

}  // namespace quill
