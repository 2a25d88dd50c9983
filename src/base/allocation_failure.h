// For tests: memory that ends at a place of their choice.
#pragma once

#include <cstdint>

namespace quill {

// One allocation fails, with std::bad_alloc, behind `count` that do not; a negative count takes that back.
// Says whether the one that was to fail before has not come.
bool fail_allocation_behind(std::int64_t count);

}  // namespace quill
