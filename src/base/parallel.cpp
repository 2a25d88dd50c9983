#include "base/parallel.h"

#include <algorithm>
#include <atomic>
#include <condition_variable>
#include <exception>
#include <memory>
#include <mutex>
#include <system_error>
#include <thread>
#include <vector>

#include "base/interrupt.h"

namespace quill {

namespace {

thread_local bool is_working = false;  // in a piece, or in a thread of the pool

// One call of in_parallel.
class Job {
 public:
  Job(Index pieces, const std::function<void(Index)>& work, bool may_stop)
      : pieces_(pieces), work_(work), may_stop_(may_stop) {}

  // Takes pieces until there are none left.
  void help() {
    const bool outer = is_working;
    is_working = true;
    while (!stopped_.load(std::memory_order_relaxed)) {
      const auto k = next_.fetch_add(1, std::memory_order_relaxed);
      if (k >= pieces_) break;
      try {
        if (may_stop_) poll_interrupt();
        work_(k);
      } catch (...) { fail(k); }
    }
    is_working = outer;
  }

  void throw_failure() const {
    if (failure_) std::rethrow_exception(failure_);
  }

 private:
  // Pieces are begun in order, so that all before one that fails are done or under way: the first failure
  // does not depend on the threads.
  void fail(Index k) {
    stopped_.store(true, std::memory_order_relaxed);
    const std::lock_guard lock(mutex_);
    if (failure_ && failed_ < k) return;
    failure_ = std::current_exception();
    failed_ = k;
  }

  Index pieces_;
  const std::function<void(Index)>& work_;
  bool may_stop_;
  std::atomic<Index> next_ = 0;
  std::atomic<bool> stopped_ = false;
  std::mutex mutex_;
  std::exception_ptr failure_;
  Index failed_ = 0;
};

// Threads that wait for work: for a short while by looking, since work often comes in quick succession, then
// asleep.
class Pool {
 public:
  explicit Pool(int helpers) {
    try {
      for (int k = 0; k < helpers; ++k) threads_.emplace_back([this] { serve(); });
    } catch (const std::system_error&) {
      // No more threads available: those that run do the work.
    }
  }
  ~Pool() {
    {
      const std::lock_guard lock(mutex_);
      ended_ = true;
      ++round_;
    }
    wake_.notify_all();
  }
  Pool(const Pool&) = delete;
  Pool& operator=(const Pool&) = delete;

  // `helpers` threads help beside this one.
  void run(Job& job, Index helpers) {
    {
      const std::lock_guard lock(mutex_);
      job_ = &job;
      wanted_ = std::min(helpers, static_cast<Index>(threads_.size()));
      round_.fetch_add(1);
    }
    wake_.notify_all();
    job.help();
    std::unique_lock lock(mutex_);
    wanted_ = 0;  // who has not come by now is not needed
    done_.wait(lock, [this] { return helping_ == 0; });
    job_ = nullptr;
  }

 private:
  void serve() {
    is_working = true;
    for (unsigned seen = 0;;) {
      constexpr int looks = 2000;
      for (int k = 0; k < looks && round_.load(std::memory_order_relaxed) == seen; ++k)
        std::this_thread::yield();
      std::unique_lock lock(mutex_);
      wake_.wait(lock, [&] { return round_.load(std::memory_order_relaxed) != seen; });
      seen = round_.load(std::memory_order_relaxed);
      if (ended_) return;
      if (wanted_ == 0) continue;
      --wanted_;
      ++helping_;
      auto& job = *job_;
      lock.unlock();
      job.help();
      lock.lock();
      if (--helping_ == 0) done_.notify_one();
    }
  }

  std::mutex mutex_;
  std::condition_variable wake_, done_;
  std::atomic<unsigned> round_ = 0;
  Job* job_ = nullptr;
  Index wanted_ = 0, helping_ = 0;
  bool ended_ = false;
  std::vector<std::jthread> threads_;  // the last member: they end before the others go
};

int count = 0;
std::unique_ptr<Pool> pool;

}  // namespace

int thread_count() {
  constexpr unsigned most = 64;
  if (count == 0) count = static_cast<int>(std::clamp(std::thread::hardware_concurrency(), 1U, most));
  return count;
}

void set_thread_count(int wanted) {
  count = std::max(1, wanted);
  pool.reset();
}

namespace {

void share_out(Index pieces, const std::function<void(Index)>& work, bool may_stop) {
  if (pieces == 1) {
    if (may_stop) poll_interrupt();
    return work(0);
  }
  Job job(pieces, work, may_stop);
  const auto helpers = std::min<Index>(thread_count(), pieces) - 1;
  if (helpers < 1 || is_working) {
    job.help();
  } else {
    if (!pool) pool = std::make_unique<Pool>(thread_count() - 1);
    pool->run(job, helpers);
  }
  job.throw_failure();
}

}  // namespace

void in_parallel(Index pieces, const std::function<void(Index)>& work) { share_out(pieces, work, true); }
void in_parallel_to_the_end(Index pieces, const std::function<void(Index)>& work) {
  share_out(pieces, work, false);
}

}  // namespace quill
