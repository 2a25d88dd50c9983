// One account of all memory that a program can make grow: the elements of arrays, and through the allocation
// functions of C++, which are replaced here, all texts, lists, dictionaries and records.
#pragma once

#include <atomic>
#include <cstdint>
#include <string>

#include "base/error.h"

namespace quill {

namespace detail {
inline std::atomic<std::int64_t> memory_held{0};  // without what threads have not passed on yet
inline thread_local std::int64_t memory_pending = 0;
void pass_on_memory();
}  // namespace detail

// Adds bytes to the account, or takes them off.
inline void account_memory(std::int64_t bytes) {
  // Passed on in portions, so that small allocations cost no synchronisation.
  constexpr std::int64_t portion = 1 << 16;
  auto& pending = detail::memory_pending;
  pending += bytes;
  if (pending > portion || pending < -portion) [[unlikely]]
    detail::pass_on_memory();
}
// Bytes held at this moment.
inline std::int64_t memory_held() {
  return detail::memory_held.load(std::memory_order_relaxed) + detail::memory_pending;
}

// Nothing may lift the memory by more than so many bytes above what is held now; 0 is no ceiling. One large
// piece that would is refused at once. Where small ones add up to more, the next place that polls for
// interrupts throws an Error, and far above the ceiling they are refused as well.
void set_memory_ceiling(std::int64_t bytes);
// Whether so many bytes more would be too many.
bool is_beyond_ceiling(std::int64_t more);

// How often this thread has begun to go over the elements of arrays; timings take differences.
inline thread_local std::int64_t passes_begun = 0;
// What is held, as a fraction of the ceiling; 0 without one.
double memory_share_in_use();
// "the ceiling is 300 MB, of which 20 MB are in use"; "" without a ceiling.
std::string ceiling_in_words();
// What is reported where memory was refused.
Error memory_error();

}  // namespace quill
