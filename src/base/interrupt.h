// Requests to stop the computation (Ctrl-C, memory limit) or to report progress. All code that may run long
// polls for them.
#pragma once

#include <atomic>
#include <cstddef>

namespace quill {

namespace detail {
inline constexpr int kInterrupt = 1, kMemory = 2, kProgress = 4;
inline std::atomic<int> stop_flags{0};
inline std::atomic<bool> stops_deferred{false};
}  // namespace detail

// Requests a stop. Returns whether an earlier request was not served yet. May be called by a signal handler.
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
// Requests a progress report (base/progress.h).
inline void request_progress() { detail::stop_flags.fetch_or(detail::kProgress, std::memory_order_relaxed); }
inline void clear_progress_request() {
  detail::stop_flags.fetch_and(~detail::kProgress, std::memory_order_relaxed);
}
// False while stops are deferred.
inline bool stop_requested() {
  return (detail::stop_flags.load(std::memory_order_relaxed) & detail::kInterrupt) &&
         !detail::stops_deferred.load(std::memory_order_relaxed);
}
// Whether a request is pending.
inline bool interrupt_requested() { return detail::stop_flags.load(std::memory_order_relaxed) != 0; }

// While it exists, requests to stop and memory checks stay pending (`deferred`), or are served again within a
// scope that defers them. Work that must be done as a whole, such as a change of a session, defers them, and
// code that reports the error and restores the state serves them. For the main thread.
class StopsDeferred {
 public:
  explicit StopsDeferred(bool deferred = true) : before_(detail::stops_deferred.exchange(deferred)) {}
  ~StopsDeferred() { detail::stops_deferred = before_; }
  StopsDeferred(const StopsDeferred&) = delete;
  StopsDeferred& operator=(const StopsDeferred&) = delete;

 private:
  bool before_;
};

// Serves pending requests: throws an Error of kind interrupted for a stop, and an Error if memory exceeds the
// limit; reports progress.
void serve_requests();
[[noreturn]] void stop_interrupted();
inline void poll_interrupt() {
  if (interrupt_requested()) [[unlikely]]
    serve_requests();
}
// The same in iteration k of a loop over many small pieces; polls only every few iterations.
inline void poll_interrupt_at(std::size_t k) {
  if (k % 4096 == 0) poll_interrupt();
}

}  // namespace quill
