// Passes over sources: in row order, or by whole lines along axes.
#pragma once

#include <functional>
#include <vector>

#include "array/reduce.h"
#include "blocks/block_source.h"

namespace quill {

// How many elements are in a block, and at most in a part that holds whole lines. Tests make them small.
struct BlockLimits {
  Index elements = Index{1} << 18;
  Index most = Index{1} << 23;
};
BlockLimits& block_limits();
// Whether it is one block, which may as well be taken into memory.
inline bool is_small(const BlockSource& source) { return source.size() <= block_limits().elements; }

// Calls f for parts of the source that follow each other in row order, the next of which is read meanwhile.
void for_each_block(const BlockSource& source, BlockFindings& findings,
                    const std::function<void(const Array& elements)>& f);

void for_each_part_of(const BlockSource& source, BlockFindings& findings,
                      const std::function<void(const BlockPart& part, const Array& elements)>& f);

// Axes are counted from 0 and reduced as one, in the order named; none stands for all of them.
using Axes = std::vector<int>;

// What reduce() gives of the elements in memory, to the last bit; without the reduced axes.
Array reduce_blocks(Reduction op, const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings);
// The same of the mean.
Array mean_of_blocks(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings);

// Whether there are parts of bearable size that hold whole lines along these axes.
bool has_whole_lines(const BlockSource& source, const Axes& axes);
// Calls f with such parts, and joins the results along the axis by which the source was divided. f keeps the
// other axes in their order; it may drop those named, change their length, and put new axes in front.
Array by_whole_lines(const BlockSourcePtr& source, const Axes& axes, BlockFindings& findings,
                     const std::function<Array(const Array& lines)>& f, int axes_in_front = 0);

// All elements. Error beforehand when they would take more memory than may be used.
Array read_all(const BlockSource& source, BlockFindings& findings);
// The elements where a mask of the same shape is true, in row order.
Array chosen_by(const BlockSource& source, const BlockOperand& mask, BlockFindings& findings);
// "the elements of temp in a.nc take 4.2 GB"
std::string size_in_words(const BlockSource& source);
// Whether all elements may be taken into memory at once.
bool fits_in_memory(const BlockSource& source);

}  // namespace quill
