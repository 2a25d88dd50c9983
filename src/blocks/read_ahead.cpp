#include "blocks/read_ahead.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>

namespace quill {

namespace {

class Worker {
 public:
  ~Worker() {
    if (!thread_.joinable()) return;
    {
      const std::scoped_lock lock(mutex_);
      ended_ = true;
    }
    wake_.notify_one();
    thread_.join();
  }
  std::future<void> add(std::function<void()> work) {
    std::packaged_task<void()> task(std::move(work));
    auto out = task.get_future();
    const std::scoped_lock lock(mutex_);
    // Begun with the first work, so that processes that fork before have one thread only.
    if (!thread_.joinable()) thread_ = std::thread([this] { serve(); });
    tasks_.push_back(std::move(task));
    wake_.notify_one();
    return out;
  }
  void settle() {
    std::unique_lock lock(mutex_);
    idle_.wait(lock, [this] { return tasks_.empty() && !is_busy_; });
  }

 private:
  void serve() {
    for (std::unique_lock lock(mutex_);;) {
      wake_.wait(lock, [this] { return ended_ || !tasks_.empty(); });
      if (tasks_.empty()) return;
      auto task = std::move(tasks_.front());
      tasks_.pop_front();
      is_busy_ = true;
      lock.unlock();
      task();
      lock.lock();
      is_busy_ = false;
      if (tasks_.empty()) idle_.notify_all();
    }
  }
  std::mutex mutex_;
  std::condition_variable wake_, idle_;
  std::deque<std::packaged_task<void()>> tasks_;
  bool ended_ = false, is_busy_ = false;
  std::thread thread_;
};

Worker& worker() {
  static Worker one;
  return one;
}

}  // namespace

std::future<void> read_ahead(std::function<void()> work) { return worker().add(std::move(work)); }

ReadsSettled::~ReadsSettled() { worker().settle(); }

}  // namespace quill
