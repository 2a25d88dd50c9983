#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>
#if defined(__SANITIZE_ADDRESS__)
#include <sanitizer/lsan_interface.h>
#endif

// Under the address sanitizer, a request that no machine can meet fails as it does without it.
extern "C" const char* __asan_default_options();
extern "C" const char* __asan_default_options() { return "allocator_may_return_null=1"; }

int main(int count, char** arguments) {
  const int status = Catch::Session().run(count, arguments);
#if defined(__SANITIZE_ADDRESS__)
  // Here, while all threads wait: the check at the end of the program may meet threads that are ending, and
  // crash.
  __lsan_do_leak_check();
#endif
  return status;
}
