// Allocations that may not fail, and, for tests, allocations that do.
#pragma once

#include <cstdint>

namespace quill {

// During its lifetime, allocations of this thread are neither counted nor subject to the memory limit. For
// libraries that cannot handle a failed allocation and hold their own memory.
class WithoutMemoryLimit {
 public:
  WithoutMemoryLimit();
  ~WithoutMemoryLimit();
  WithoutMemoryLimit(const WithoutMemoryLimit&) = delete;
  WithoutMemoryLimit& operator=(const WithoutMemoryLimit&) = delete;

 private:
  std::int64_t held_;
};

// For tests: lets `count` allocations succeed and makes the next one throw std::bad_alloc; a negative count
// cancels this. Returns whether an earlier request was still pending.
bool fail_allocation_after(std::int64_t count);

}  // namespace quill
