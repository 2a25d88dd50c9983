// Allocations that may not fail, and, for tests, allocations that do.
#pragma once

#include <cstdint>

namespace quill {

// During its lifetime, allocations of this thread are neither counted nor refused because of the memory
// limit. For libraries that do not survive a failed allocation and keep memory of their own.
class WithoutMemoryLimit {
 public:
  WithoutMemoryLimit();
  ~WithoutMemoryLimit();
  WithoutMemoryLimit(const WithoutMemoryLimit&) = delete;
  WithoutMemoryLimit& operator=(const WithoutMemoryLimit&) = delete;

 private:
  std::int64_t held_;
};

// For tests: makes one allocation fail with std::bad_alloc, after `count` that succeed; a negative count
// cancels that. Returns whether an earlier request was still pending.
bool fail_allocation_behind(std::int64_t count);

}  // namespace quill
