// Work that does not look for interrupts, such as a call of a library, on a thread of its own, so that
// whoever interrupts it need not wait for its end.
#pragma once

#include <functional>
#include <memory>

namespace quill {

// Runs the work and waits for it. When somebody interrupts, the work is left to run to its end, and
// Error::Kind::interrupted is thrown at once. `keeps` holds all memory that the work uses; it is freed by the
// thread of the program, later. What the work throws is thrown here. On other threads than that of the
// program it runs as it is.
void run_or_leave(std::function<void()> work, std::shared_ptr<const void> keeps);

// Whether work that was left still runs: the program must not take down what it may use.
bool has_left_work();

}  // namespace quill
