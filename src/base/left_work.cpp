#include "base/left_work.h"

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

#include "base/interrupt.h"

namespace quill {

namespace {

struct State {
  std::function<void()> work;
  std::mutex mutex;
  std::condition_variable ended;
  bool has_ended = false;
  std::exception_ptr thrown;

  void run() {
    std::exception_ptr failure;
    try {
      work();
    } catch (...) { failure = std::current_exception(); }
    const std::lock_guard lock(mutex);
    thrown = failure;
    has_ended = true;
    ended.notify_all();
  }
};

struct Left {
  std::shared_ptr<State> state;
  std::shared_ptr<const void> keeps;
};

// Never destroyed, since work may continue while the program ends.
std::vector<Left>& left_work() {
  static auto* const out = new std::vector<Left>;
  return *out;
}

void free_what_has_ended() {
  std::erase_if(left_work(), [](const Left& left) {
    const std::lock_guard lock(left.state->mutex);
    return left.state->has_ended;
  });
}

const std::thread::id kOfProgram = std::this_thread::get_id();

}  // namespace

void run_or_leave(std::function<void()> work, std::shared_ptr<const void> keeps) {
  if (std::this_thread::get_id() != kOfProgram) return work();
  free_what_has_ended();
  const auto state = std::make_shared<State>();
  state->work = std::move(work);
  std::thread([state] { state->run(); }).detach();
  constexpr auto pause = std::chrono::milliseconds(20);
  std::unique_lock lock(state->mutex);
  while (!state->ended.wait_for(lock, pause, [&] { return state->has_ended; })) {
    lock.unlock();
    try {
      poll_interrupt();
    } catch (...) {
      left_work().push_back({state, std::move(keeps)});
      throw;
    }
    lock.lock();
  }
  if (state->thrown) std::rethrow_exception(state->thrown);
}

bool has_left_work() {
  free_what_has_ended();
  return !left_work().empty();
}

}  // namespace quill
