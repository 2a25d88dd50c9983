// Functions of one real number, for single numbers. The vector kernels (fusion/kernels.h) give the same bits.
#pragma once

#include <limits>

namespace quill::mathematics {

inline constexpr double kNoLimit = std::numeric_limits<double>::infinity();

// The functions that come from SLEEF, in its forms whose bits do not depend on the width of vectors (N.
// Shibata, F. Petrogalli, IEEE Trans. Parallel Distrib. Syst. 31, 2020): within 1 unit of the last place
// everywhere. Beyond `limit` of the magnitude of x the C library takes over, since SLEEF's own overflows too
// early there.
#define QUILL_VECTOR_FUNCTIONS(ROW) \
  ROW(exp, kNoLimit)                \
  ROW(expm1, kNoLimit)              \
  ROW(log, kNoLimit)                \
  ROW(log2, kNoLimit)               \
  ROW(log10, kNoLimit)              \
  ROW(log1p, 1e300)                 \
  ROW(sin, kNoLimit)                \
  ROW(cos, kNoLimit)                \
  ROW(tan, kNoLimit)                \
  ROW(asin, kNoLimit)               \
  ROW(acos, kNoLimit)               \
  ROW(atan, kNoLimit)               \
  ROW(sinh, 700.0)                  \
  ROW(cosh, 700.0)                  \
  ROW(tanh, kNoLimit)               \
  ROW(asinh, 1e150)                 \
  ROW(acosh, 1e150)                 \
  ROW(atanh, kNoLimit)

#define QUILL_ROW(name, limit) double name(double x);
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW

// Whether the processor multiplies and adds in one step (all since 2013). Without it the C library computes
// these functions, whose last bits may then differ from those of other processors.
bool has_fused_multiply();

}  // namespace quill::mathematics
