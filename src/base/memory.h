// Accounting of all memory that programs can consume: array elements and, through the replaced C++ allocation
// functions, texts, lists, dictionaries and records.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <string>

#include "base/error.h"

namespace quill {

namespace detail {
inline std::atomic<std::int64_t> memory_held{0};  // without amounts that threads have not reported yet
inline std::atomic<std::int64_t> memory_most{0};  // see begin_memory_peak()
inline thread_local std::int64_t memory_pending = 0;
void pass_on_memory();
}  // namespace detail

// Adds bytes to the account; negative for freed bytes.
inline void account_memory(std::int64_t bytes) {
  // Reported in portions, so that small allocations need no synchronisation.
  constexpr std::int64_t portion = 1 << 16;
  auto& pending = detail::memory_pending;
  pending += bytes;
  if (pending > portion || pending < -portion) [[unlikely]]
    detail::pass_on_memory();
}
// Bytes in use.
inline std::int64_t memory_held() {
  return detail::memory_held.load(std::memory_order_relaxed) + detail::memory_pending;
}

// The most bytes in use at one time since begin_memory_peak(), to about 64 kB for each thread.
inline void begin_memory_peak() { detail::memory_most = memory_held(); }
inline std::int64_t memory_peak() { return std::max(detail::memory_most.load(), memory_held()); }

// Limits further allocations to this many bytes above the current use; 0: no limit. A single allocation that
// exceeds it is refused. If many small ones exceed it, the next poll for interrupts throws an Error; far
// above the limit they are refused too.
void set_memory_ceiling(std::int64_t bytes);
// Whether allocating this many more bytes would exceed the limit.
bool is_beyond_ceiling(std::int64_t more);

// Number of passes over array elements begun by this thread; timings take differences.
inline thread_local std::int64_t passes_begun = 0;
// Memory in use as a fraction of the limit; 0 without a limit.
double memory_share_in_use();
// "the ceiling is 300 MB, of which 20 MB are in use"; "" without a ceiling.
std::string ceiling_in_words();
// The Error for a refused allocation.
Error memory_error();

}  // namespace quill
