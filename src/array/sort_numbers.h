// Sorting of numbers.
#pragma once

#include <cstdint>
#include <vector>

#include "base/number.h"

namespace quill {

// Both distribute numbers by the leading digits in which they differ (D. E. Knuth, The Art of Computer
// Programming 3, 5.2.5), on all threads, until buckets are small; Boost.Sort's pattern-defeating quicksort
// (O. Peters, 2021) sorts those. The result does not depend on the number of threads. T is double, float,
// std::int64_t, std::int32_t or std::uint8_t.

// Sorts in place, ascending or descending, nan last; ascending order has -0 before 0.
template <class T>
void sort_numbers(T* first, Index count, bool descending);

// The 0-based indices that sort numbers `step` apart in ascending or descending order; nan last; stable (0
// and -0 are equal).
template <class T>
std::vector<Index> order_of_numbers(const T* line, Index count, Index step, bool descending);

}  // namespace quill
