// Numbers in order.
#pragma once

#include <cstdint>

#include "base/number.h"

namespace quill {

// Sorts in place, rising or falling, nan behind everything. Pieces are sorted by their digits (Boost.Sort's
// spreadsort: S. J. Ross, 2002) and merged, by all threads; where equal numbers of different bits (0 and -0)
// stand does not depend on the number of threads.
template <class T>
void sort_numbers(T* first, Index count, bool falling);

extern template void sort_numbers(double*, Index, bool);
extern template void sort_numbers(float*, Index, bool);
extern template void sort_numbers(std::int64_t*, Index, bool);
extern template void sort_numbers(std::int32_t*, Index, bool);
extern template void sort_numbers(std::uint8_t*, Index, bool);

}  // namespace quill
