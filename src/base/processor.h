// Features of the processor, asked once.
#pragma once

namespace quill {

// Fused multiply-add and vectors of four numbers.
inline bool has_avx2() {
  static const bool has = __builtin_cpu_supports("fma") && __builtin_cpu_supports("avx2");
  return has;
}

// Vectors of eight numbers with masks, and their compression.
inline bool has_avx512() {
  static const bool has = has_avx2() && __builtin_cpu_supports("avx512f") &&
                          __builtin_cpu_supports("avx512dq") && __builtin_cpu_supports("avx512bw") &&
                          __builtin_cpu_supports("avx512vl");
  return has;
}

}  // namespace quill
