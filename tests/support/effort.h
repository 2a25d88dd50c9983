// How much tests do that repeat what they draw at random.
#pragma once

namespace quill::test {

#ifdef __SANITIZE_ADDRESS__
inline constexpr bool kIsSanitized = true;
#else
inline constexpr bool kIsSanitized = false;
#endif

// So many times; a quarter of them under the sanitizers, where a program takes several times as long.
inline constexpr int repeats(int count) { return kIsSanitized ? (count + 3) / 4 : count; }

}  // namespace quill::test
