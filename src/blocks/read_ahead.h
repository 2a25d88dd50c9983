// The thread that reads from files while others compute.
#pragma once

#include <functional>
#include <future>

namespace quill {

// Runs the work on the one thread that calls the libraries of opened files; what it throws is thrown by
// get().
std::future<void> read_ahead(std::function<void()> work);

// Its destructor waits until that thread is idle, so that an interrupted pass leaves no read behind.
class ReadsSettled {
 public:
  ReadsSettled() = default;
  ~ReadsSettled();
  ReadsSettled(const ReadsSettled&) = delete;
  ReadsSettled& operator=(const ReadsSettled&) = delete;
};

}  // namespace quill
