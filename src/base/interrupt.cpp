#include "base/interrupt.h"

#include "base/error.h"
#include "base/memory.h"
#include "base/progress.h"

namespace quill {

Error memory_error() {
  Error error("not enough memory", ceiling_in_words());
  error.kind = Error::Kind::hindered;
  return error;
}

void stop_interrupted() {
  clear_interrupt();
  Error error("stopped");
  error.kind = Error::Kind::interrupted;
  throw error;
}

void serve_requests() {
  const auto flags = detail::stop_flags.load(std::memory_order_relaxed);
  if (stop_requested()) stop_interrupted();
  if (flags & detail::kProgress) tell_progress();
  if (!(flags & detail::kMemory) || detail::stops_deferred) return;
  clear_memory_check();
  if (is_beyond_ceiling(0)) throw memory_error();
}

}  // namespace quill
