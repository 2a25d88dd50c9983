// Pieces of work on several threads: all done, errors carried, stops heard. Run under the thread sanitizer
// too.
#include "base/parallel.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <numeric>

#include "base/error.h"
#include "base/interrupt.h"

using namespace quill;

namespace {

// For the time of a test.
struct Threads {
  explicit Threads(int count) { set_thread_count(count); }
  ~Threads() { set_thread_count(before); }
  int before = thread_count();
};

std::string failure_of(Index pieces, const std::function<void(Index)>& work) {
  try {
    in_parallel(pieces, work);
  } catch (const Error& error) { return error.message; }
  return "";
}

}  // namespace

TEST_CASE("threads: every piece is done once, whatever the number of threads") {
  for (const int threads : {1, 2, 3, 8}) {
    const Threads t(threads);
    for (const Index pieces : {0, 1, 2, 3, 7, 100, 1000}) {
      std::vector<int> done(static_cast<std::size_t>(pieces), 0);
      in_parallel(pieces, [&](Index k) { ++done[static_cast<std::size_t>(k)]; });
      CAPTURE(threads, pieces);
      CHECK(std::all_of(done.begin(), done.end(), [](int n) { return n == 1; }));
    }
  }
}

TEST_CASE("threads: many short rounds one after the other") {
  const Threads t(4);
  long total = 0;
  for (int round = 0; round < 3000; ++round) {
    std::vector<long> parts(5, 0);
    in_parallel(5, [&](Index k) { parts[static_cast<std::size_t>(k)] = k + round; });
    total += std::accumulate(parts.begin(), parts.end(), 0L);
  }
  CHECK(total == 3000L * 10 + 5L * 2999 * 3000 / 2);
}

TEST_CASE("threads: the failure of the first piece is thrown, and later pieces are not begun") {
  for (const int threads : {1, 2, 5}) {
    const Threads t(threads);
    for (int round = 0; round < 50; ++round) {
      std::atomic<int> begun = 0;
      const auto message = failure_of(10000, [&](Index k) {
        ++begun;
        if (k % 50 == 17) fail("piece " + std::to_string(k));
      });
      CHECK(message == "piece 17");
      CHECK(begun < 10000);
    }
    std::atomic<int> done = 0;
    in_parallel(20, [&](Index) { ++done; });
    CHECK(done == 20);
  }
}

TEST_CASE("threads: a stop is heard between pieces and within them") {
  for (const int threads : {1, 3}) {
    const Threads t(threads);
    clear_interrupt();
    std::atomic<int> begun = 0;
    CHECK(failure_of(100000, [&](Index k) {
            ++begun;
            if (k == 3) request_interrupt();
          }) == "stopped");
    CHECK(begun < 100000);
    CHECK_FALSE(interrupt_requested());
    CHECK(failure_of(4, [&](Index k) {
            if (k == 0) request_interrupt();
            for (int i = 0; i < 100'000'000; ++i) poll_interrupt_at(static_cast<std::size_t>(i));
          }) == "stopped");
    clear_interrupt();
  }
}

TEST_CASE("threads: pieces may divide their work again") {
  const Threads t(3);
  std::vector<long> sums(6, 0);
  in_parallel(6,
              [&](Index k) { in_parallel(4, [&](Index j) { sums[static_cast<std::size_t>(k)] += j + 1; }); });
  CHECK(sums == std::vector<long>(6, 10));
}
