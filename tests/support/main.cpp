#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include "base/parallel.h"
#include "support/effort.h"

#include <chrono>
#include <filesystem>
#include <iterator>
#include <thread>

// Under the address sanitizer, a request that no machine can meet fails as it does without it.
extern "C" const char* __asan_default_options();
extern "C" const char* __asan_default_options() { return "allocator_may_return_null=1"; }

namespace {

auto threads_now() {
  return std::distance(std::filesystem::directory_iterator("/proc/self/task"),
                       std::filesystem::directory_iterator());
}

// Ends the threads of the pool, and waits until the system has none of them any more.
void end_threads() {
  constexpr int most_tries = 50;
  const auto before = threads_now();
  quill::set_thread_count(1);
  for (int k = 0; k < most_tries && before > 1 && threads_now() == before; ++k)
    std::this_thread::sleep_for(std::chrono::milliseconds(1));
  std::this_thread::sleep_for(std::chrono::milliseconds(2));
}

}  // namespace

int main(int count, char** arguments) {
  const int status = Catch::Session().run(count, arguments);
  // The check for leaks at the end of the program crashes when it meets threads that are ending.
  if (quill::test::kIsSanitized) end_threads();
  return status;
}
