// A request to stop the computation (Ctrl-C), polled by everything that may run long.
#pragma once

#include <atomic>
#include <cstddef>

namespace quill {

namespace detail {
inline std::atomic<bool> interrupt_flag{false};
}

// Whether an earlier request still waits to be seen. May be called by a signal handler.
inline bool request_interrupt() { return detail::interrupt_flag.exchange(true, std::memory_order_relaxed); }
inline void clear_interrupt() { detail::interrupt_flag.store(false, std::memory_order_relaxed); }
inline bool interrupt_requested() { return detail::interrupt_flag.load(std::memory_order_relaxed); }

// Throws an Error of kind interrupted when a stop was asked for.
[[noreturn]] void stop_interrupted();
inline void poll_interrupt() {
  if (interrupt_requested()) [[unlikely]]
    stop_interrupted();
}
// The same in a loop over many small pieces, of which this is the k-th.
inline void poll_interrupt_at(std::size_t k) {
  if (k % 4096 == 0) poll_interrupt();
}

}  // namespace quill
