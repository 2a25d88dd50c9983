// Processor features, detected once.
#pragma once

namespace quill {

// Fused multiply-add and 256-bit vectors.
inline bool has_avx2() {
  static const bool has = __builtin_cpu_supports("fma") && __builtin_cpu_supports("avx2");
  return has;
}

// 512-bit vectors with masks and compression.
inline bool has_avx512() {
  static const bool has = has_avx2() && __builtin_cpu_supports("avx512f") &&
                          __builtin_cpu_supports("avx512dq") && __builtin_cpu_supports("avx512bw") &&
                          __builtin_cpu_supports("avx512vl");
  return has;
}

}  // namespace quill
