#define CATCH_CONFIG_MAIN
#include <catch2/catch.hpp>

// Under the address sanitizer, a request that no machine can meet fails as it does without it.
extern "C" const char* __asan_default_options();
extern "C" const char* __asan_default_options() { return "allocator_may_return_null=1"; }
