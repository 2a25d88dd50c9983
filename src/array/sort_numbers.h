// Numbers in order.
#pragma once

#include <cstdint>
#include <vector>

#include "base/number.h"

namespace quill {

// Both spread numbers out by the first digits in which they differ (D. E. Knuth, The Art of Computer
// Programming 3, 5.2.5), by all threads, until few share them, which Boost.Sort's pattern-defeating quicksort
// puts in order (O. Peters, 2021). The result does not depend on the number of threads. T is double, float,
// std::int64_t, std::int32_t or std::uint8_t.

// Sorts in place, rising or falling, nan behind everything; -0 stands before 0 when rising.
template <class T>
void sort_numbers(T* first, Index count, bool falling);

// The positions, from 0, of numbers that lie `step` apart, as they have to be taken to rise or to fall; nan
// behind everything, equal ones (0 and -0 too) in the order in which they stand.
template <class T>
std::vector<Index> order_of_numbers(const T* line, Index count, Index step, bool falling);

}  // namespace quill
