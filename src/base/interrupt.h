// A request to stop the computation (Ctrl-C, or memory beyond the ceiling) or to tell how far it is, polled
// by everything that may run long.
#pragma once

#include <atomic>
#include <cstddef>

namespace quill {

namespace detail {
inline constexpr int kInterrupt = 1, kMemory = 2, kProgress = 4;
inline std::atomic<int> stop_flags{0};
}  // namespace detail

// Whether an earlier request still waits to be seen. May be called by a signal handler.
inline bool request_interrupt() {
  return detail::stop_flags.fetch_or(detail::kInterrupt, std::memory_order_relaxed) & detail::kInterrupt;
}
inline void clear_interrupt() {
  detail::stop_flags.fetch_and(~detail::kInterrupt, std::memory_order_relaxed);
}
inline void request_memory_check() {
  detail::stop_flags.fetch_or(detail::kMemory, std::memory_order_relaxed);
}
inline void clear_memory_check() {
  detail::stop_flags.fetch_and(~detail::kMemory, std::memory_order_relaxed);
}
// Somebody wants to know how far the work is (base/progress.h).
inline void request_progress() { detail::stop_flags.fetch_or(detail::kProgress, std::memory_order_relaxed); }
inline void clear_progress_request() {
  detail::stop_flags.fetch_and(~detail::kProgress, std::memory_order_relaxed);
}
inline bool stop_requested() {
  return detail::stop_flags.load(std::memory_order_relaxed) & detail::kInterrupt;
}
// Whether there is anything to see to.
inline bool interrupt_requested() { return detail::stop_flags.load(std::memory_order_relaxed) != 0; }

// Throws an Error of kind interrupted when a stop was asked for, and an Error when there is more memory in
// use than allowed; reports how far the work is.
void see_to_requests();
[[noreturn]] void stop_interrupted();
inline void poll_interrupt() {
  if (interrupt_requested()) [[unlikely]]
    see_to_requests();
}
// The same in a loop over many small pieces, of which this is the k-th.
inline void poll_interrupt_at(std::size_t k) {
  if (k % 4096 == 0) poll_interrupt();
}

}  // namespace quill
