// Runs work that cannot be interrupted, such as a library call, on its own thread, so that Ctrl-C need not
// wait for its end.
#pragma once

#include <functional>
#include <memory>

namespace quill {

// Runs the work and waits for it. On an interrupt, throws Error::Kind::interrupted at once and leaves the
// work running. `keeps` owns all memory that the work uses; it is freed later by the main thread. Exceptions
// of the work are rethrown. On threads other than the main one, runs the work directly.
void run_or_leave(std::function<void()> work, std::shared_ptr<const void> keeps);

// Whether abandoned work is still running; the program must not destroy anything that it may use.
bool has_left_work();

}  // namespace quill
