#include "blocks/read_ahead.h"

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>
#include <vector>

namespace quill {

namespace {

// While one thread is in the library, the other one works on what was read.
constexpr std::size_t kThreads = 2;

class Workers {
 public:
  ~Workers() {
    {
      const std::scoped_lock lock(mutex_);
      ended_ = true;
    }
    wake_.notify_all();
    for (auto& thread : threads_) thread.join();
  }
  std::future<void> add(std::function<void()> work) {
    std::packaged_task<void()> task(std::move(work));
    auto out = task.get_future();
    const std::scoped_lock lock(mutex_);
    // Begun with the first work, so that processes that fork before have one thread only.
    while (threads_.size() < kThreads) threads_.emplace_back([this] { serve(); });
    tasks_.push_back(std::move(task));
    wake_.notify_one();
    return out;
  }
  void settle() {
    std::unique_lock lock(mutex_);
    idle_.wait(lock, [this] { return tasks_.empty() && busy_ == 0; });
  }

 private:
  void serve() {
    for (std::unique_lock lock(mutex_);;) {
      wake_.wait(lock, [this] { return ended_ || !tasks_.empty(); });
      if (tasks_.empty()) return;
      auto task = std::move(tasks_.front());
      tasks_.pop_front();
      ++busy_;
      lock.unlock();
      task();
      lock.lock();
      --busy_;
      if (tasks_.empty() && busy_ == 0) idle_.notify_all();
    }
  }
  std::mutex mutex_;
  std::condition_variable wake_, idle_;
  std::deque<std::packaged_task<void()>> tasks_;
  bool ended_ = false;
  int busy_ = 0;
  std::vector<std::thread> threads_;
};

Workers& workers() {
  static Workers all;
  return all;
}

}  // namespace

std::future<void> read_ahead(std::function<void()> work) { return workers().add(std::move(work)); }

ReadsSettled::~ReadsSettled() { workers().settle(); }

}  // namespace quill
