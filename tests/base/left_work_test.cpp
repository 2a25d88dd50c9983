// Work that is left when somebody interrupts.
#include "base/left_work.h"

#include <atomic>
#include <catch2/catch.hpp>
#include <chrono>
#include <stdexcept>
#include <thread>

#include "base/error.h"
#include "base/interrupt.h"

using namespace quill;
using namespace std::chrono_literals;

TEST_CASE("threads: work is waited for, and what it throws is thrown") {
  int done = 0;
  run_or_leave([&] { done = 7; }, nullptr);
  CHECK(done == 7);
  CHECK_THROWS_AS(run_or_leave([] { throw std::runtime_error("no"); }, nullptr), std::runtime_error);
  CHECK_FALSE(has_left_work());
}

TEST_CASE("threads: work that is interrupted is left, and its memory is kept until it ends") {
  struct Kept {
    std::atomic<bool> may_end = false;
    std::atomic<int>* freed = nullptr;
    ~Kept() { ++*freed; }
  };
  static std::atomic<int> freed = 0;
  const auto kept = std::make_shared<Kept>();
  kept->freed = &freed;
  auto* const work = kept.get();
  std::weak_ptr<Kept> watched = kept;
  std::thread somebody([] {
    std::this_thread::sleep_for(50ms);
    request_interrupt();
  });
  const auto began = std::chrono::steady_clock::now();
  const auto leave = [&](std::shared_ptr<Kept> keeps) {
    run_or_leave(
        [work] {
          while (!work->may_end) std::this_thread::sleep_for(1ms);
        },
        std::move(keeps));
  };
  bool was_interrupted = false;
  try {
    leave(kept);
  } catch (const Error& error) { was_interrupted = error.kind == Error::Kind::interrupted; }
  somebody.join();
  CHECK(was_interrupted);
  CHECK(std::chrono::steady_clock::now() - began < 10s);
  CHECK(has_left_work());
  CHECK(watched.use_count() > 1);
  work->may_end = true;
  for (int k = 0; k < 5000 && has_left_work(); ++k) std::this_thread::sleep_for(1ms);
  CHECK_FALSE(has_left_work());
  CHECK(watched.use_count() == 1);
  CHECK(freed == 0);
}
