// The thread that reads from files while others compute.
#pragma once

#include <functional>
#include <future>

namespace quill {

// Runs the work on the one thread that calls the libraries of opened files; what it throws is thrown by
// get().
std::future<void> read_ahead(std::function<void()> work);

// Waits at the end of its life until that thread has nothing to do: nobody else may call those libraries
// before.
class ReadsSettled {
 public:
  ReadsSettled() = default;
  ~ReadsSettled();
  ReadsSettled(const ReadsSettled&) = delete;
  ReadsSettled& operator=(const ReadsSettled&) = delete;
};

}  // namespace quill
