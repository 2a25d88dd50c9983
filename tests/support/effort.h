// How often randomised tests repeat.
#pragma once

#include <cstdlib>

namespace quill::test {

#ifdef __SANITIZE_ADDRESS__
inline constexpr bool kIsSanitized = true;
#else
inline constexpr bool kIsSanitized = false;
#endif

// The number of repetitions: `count` if the environment variable QUILL_THOROUGH is set, otherwise half of it,
// and a quarter under the sanitizers, where a program takes several times as long.
inline int repeats(int count) {
  static const bool is_thorough = std::getenv("QUILL_THOROUGH") != nullptr;
  const int part = is_thorough ? 1 : kIsSanitized ? 4 : 2;
  return (count + part - 1) / part;
}

}  // namespace quill::test
