// Threads that read files while other threads compute.
#pragma once

#include <functional>
#include <future>

namespace quill {

// Runs the work on one of two threads, in the order of calls; get() rethrows its exceptions.
std::future<void> read_ahead(std::function<void()> work);

// Its destructor waits until these threads are idle, so that an interrupted pass leaves no pending read.
class ReadsSettled {
 public:
  ReadsSettled() = default;
  ~ReadsSettled();
  ReadsSettled(const ReadsSettled&) = delete;
  ReadsSettled& operator=(const ReadsSettled&) = delete;
};

}  // namespace quill
