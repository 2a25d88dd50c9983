// How sources are divided into parts.
#pragma once

#include <vector>

#include "blocks/passes.h"

namespace quill {

// The product of the extents from an axis on.
Index product_from(const Shape& shape, int axis);
// Consecutive parts in row order, of whole chunks where that is bearable.
std::vector<BlockPart> row_parts(const BlockSource& source);
// The fraction of parts that are done.
double share_of(std::size_t done, std::size_t all);

// Parts with complete lines along some axes are divided by another one, which is -1 when there is none.
struct Division {
  int axis = -1;
  Index step = 0;
};
Division division_of(const BlockSource& source, const Axes& axes);
std::vector<BlockPart> parts_of(const BlockSource& source, const Division& division);

}  // namespace quill
