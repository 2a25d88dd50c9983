#include "base/parallel.h"

#include <algorithm>
#include <atomic>
#include <system_error>
#include <thread>
#include <vector>

namespace quill {

namespace {

int count = 0;

}  // namespace

int thread_count() {
  constexpr unsigned most = 64;
  if (count == 0) count = static_cast<int>(std::clamp(std::thread::hardware_concurrency(), 1U, most));
  return count;
}

void set_thread_count(int wanted) { count = std::max(1, wanted); }

void in_parallel(Index pieces, const std::function<void(Index)>& work) {
  std::atomic<Index> next = 0;
  const auto run = [&] {
    for (Index k = next++; k < pieces; k = next++) work(k);
  };
  std::vector<std::jthread> helpers;
  const auto helping = std::min<Index>(thread_count(), pieces) - 1;
  try {
    for (Index k = 0; k < helping; ++k) helpers.emplace_back(run);
  } catch (const std::system_error&) {
    // No more threads to be had: those that run do the work.
  }
  run();
}

}  // namespace quill
