// Ranks of the elements of a vector among its distinct elements.
#pragma once

#include <vector>

#include "array/array.h"

namespace quill {

// For each element its rank among the distinct ones in ascending order, from 0. All nan are equal, and 0
// equals -0.
struct Ranks {
  std::vector<Index> of;
  Index count = 0;       // number of distinct elements
  bool has_nan = false;  // nan occurs and has the last rank
};
// Uses a hash table, or sorting if nearly all numbers are distinct. Throws Error for lists and complex
// numbers, which are not ordered.
Ranks distinct_ranks(const Array& vector);
// Ranks of the rows of several columns, in lexicographic order.
Ranks distinct_ranks(const std::vector<Ranks>& columns);
// Ranks in descending order, with nan still last.
Ranks descending(Ranks ranks);

// Indices of elements grouped by rank, in their original order; those of rank r are from starts[r] to before
// starts[r + 1].
struct ByRank {
  std::vector<Index> indices, starts;
};
ByRank by_rank(const Ranks& ranks);

}  // namespace quill
