// Equal elements of a vector, and the order of what differs.
#pragma once

#include <vector>

#include "array/array.h"

namespace quill {

// For each element its rank among the distinct ones in rising order, from 0. Elements that are nan are equal,
// 0 and -0 too.
struct Ranks {
  std::vector<Index> of;
  Index count = 0;       // of distinct elements
  bool has_nan = false;  // which has the last rank
};
// Uses a hash table, or sorts where nearly all numbers differ. Error for lists and complex numbers, which
// have no order.
Ranks distinct_ranks(const Array& vector);
// The ranks of rows of several columns, compared from the first one to the last.
Ranks distinct_ranks(const std::vector<Ranks>& columns);
// The same in falling order, but for nan, which stays last.
Ranks falling(Ranks ranks);

// The positions of the elements by rank, equal ones in the order in which they stand; those of rank r are
// from starts[r] to before starts[r + 1].
struct ByRank {
  std::vector<Index> places, starts;
};
ByRank by_rank(const Ranks& ranks);

}  // namespace quill
