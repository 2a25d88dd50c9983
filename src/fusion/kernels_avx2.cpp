#include <immintrin.h>
#include <sleef.h>
#define QUILL_SET avx2
#define QUILL_WIDTH 4
#define QUILL_VECTOR __m256d
#define QUILL_LOAD _mm256_loadu_pd
#define QUILL_STORE _mm256_storeu_pd
#define QUILL_FUNCTION(name, bound) Sleef_finz_##name##d4_##bound##avx2

namespace quill::fusion::avx2 {
namespace {

__m256i first_lanes(int count) {
  return _mm256_cmpgt_epi64(_mm256_set1_epi64x(count), _mm256_set_epi64x(3, 2, 1, 0));
}
__m256d load_some(const double* values, int count) {
  const auto mask = first_lanes(count);
  return _mm256_blendv_pd(_mm256_set1_pd(1), _mm256_maskload_pd(values, mask), _mm256_castsi256_pd(mask));
}
void store_some(double* to, int count, __m256d values) {
  _mm256_maskstore_pd(to, first_lanes(count), values);
}
__m256d all_of(double value) { return _mm256_set1_pd(value); }
void store_alternate(double* to, __m256d values) {
  _mm256_maskstore_pd(to, _mm256_set_epi64x(0, -1, 0, -1), values);
}

}  // namespace
}  // namespace quill::fusion::avx2

#include "fusion/kernels_impl.h"
