#include "array/mathematics.h"

#include <cmath>

// The library's header declares them only to code that is compiled for such processors alone.
#define QUILL_ROW(name, limit) extern "C" double Sleef_finz_##name##d1_u10purecfma(double);
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW

namespace quill::mathematics {

bool has_fused_multiply() {
  static const bool has = __builtin_cpu_supports("fma") && __builtin_cpu_supports("avx2");
  return has;
}

#define QUILL_ROW(name, limit)                                        \
  double name(double x) {                                             \
    if (std::fabs(x) > (limit) || !has_fused_multiply()) [[unlikely]] \
      return std::name(x);                                            \
    return Sleef_finz_##name##d1_u10purecfma(x);                      \
  }
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW

}  // namespace quill::mathematics
