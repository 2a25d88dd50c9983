#include <immintrin.h>
#include <sleef.h>
#define QUILL_SET avx512
#define QUILL_WIDTH 8
#define QUILL_VECTOR __m512d
#define QUILL_LOAD _mm512_loadu_pd
#define QUILL_STORE _mm512_storeu_pd
#define QUILL_FUNCTION(name, bound) Sleef_finz_##name##d8_##bound##avx512f

#include "base/number.h"

namespace quill::fusion::avx512 {
namespace {

__mmask8 first_lanes(int count) { return static_cast<__mmask8>((1U << count) - 1); }
__m512d load_some(const double* values, int count) {
  return _mm512_mask_loadu_pd(_mm512_set1_pd(1), first_lanes(count), values);
}
void store_some(double* to, int count, __m512d values) {
  _mm512_mask_storeu_pd(to, first_lanes(count), values);
}
__m512d all_of(double value) { return _mm512_set1_pd(value); }
void store_alternate(double* to, __m512d values) { _mm512_mask_storeu_pd(to, 0x55, values); }

}  // namespace
}  // namespace quill::fusion::avx512

#include "fusion/kernels_impl.h"
