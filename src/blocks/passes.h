// Passes over sources: in row order, or by complete lines along axes.
#pragma once

#include <functional>
#include <vector>

#include "array/reduce.h"
#include "blocks/block_source.h"

namespace quill {

// Number of elements in a block, and maximum in a part of complete lines. Tests lower them.
struct BlockLimits {
  Index elements = Index{1} << 18;
  Index most = Index{1} << 23;
};
BlockLimits& block_limits();
// Whether it is a single block, which is better read into memory.
inline bool is_small(const BlockSource& source) { return source.size() <= block_limits().elements; }

// Calls f for consecutive parts of the source in row order; the next part is read meanwhile.
void for_each_block(const BlockSource& source, BlockFindings& findings,
                    const std::function<void(const Array& elements)>& f);

void for_each_part_of(const BlockSource& source, BlockFindings& findings,
                      const std::function<void(const BlockPart& part, const Array& elements)>& f);

// Axes, from 0, that are reduced as one axis in the given order; empty: all axes.
using Axes = std::vector<int>;

// The same bits as reduce() for the elements in memory; without the reduced axes.
Array reduce_blocks(Reduction op, const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings);
// The same for the mean.
Array mean_of_blocks(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings);

// Whether complete lines along these axes fit into parts of limited size.
bool has_whole_lines(const BlockSource& source, const Axes& axes);
// Calls f with parts of complete lines and concatenates the results along the axis by which the source was
// divided. f keeps the order of the other axes; it may drop the given axes, change their length, and add axes
// in front.
Array by_whole_lines(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings,
                     const std::function<Array(const Array& lines)>& f, int axes_in_front = 0);
// The same for results that may exceed the memory limit, which are stored in a temporary file then.
struct LineResults {
  Array array;
  BlockSourcePtr stored{};  // instead of the array
};
LineResults stored_by_whole_lines(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings,
                                  const std::function<Array(const Array& lines)>& f, int axes_in_front = 0);

// All elements. Throws Error first if they would exceed the memory limit.
Array read_all(const BlockSource& source, BlockFindings& findings);
// Elements where a mask of the same shape is true, in row order.
Array chosen_by(const BlockSource& source, const BlockOperand& mask, BlockFindings& findings);
// "the elements of temp in a.nc take 4.2 GB"
std::string size_in_words(const BlockSource& source);
// Whether all elements fit into memory at once.
bool fits_in_memory(const BlockSource& source);

}  // namespace quill
