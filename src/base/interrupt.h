// A request to stop the computation (Ctrl-C), polled by everything that may run long.
#pragma once

#include <atomic>

namespace quill {

namespace detail {
inline std::atomic<bool> interrupt_flag{false};
}

inline void request_interrupt() { detail::interrupt_flag.store(true, std::memory_order_relaxed); }
inline void clear_interrupt() { detail::interrupt_flag.store(false, std::memory_order_relaxed); }
inline bool interrupt_requested() { return detail::interrupt_flag.load(std::memory_order_relaxed); }

// Throws an Error of kind interrupted when a stop was asked for.
[[noreturn]] void stop_interrupted();
inline void poll_interrupt() {
  if (interrupt_requested()) [[unlikely]]
    stop_interrupted();
}

}  // namespace quill
