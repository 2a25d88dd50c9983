#include <immintrin.h>
#include <sleef.h>
#define QUILL_SET avx2
#define QUILL_WIDTH 4
#define QUILL_VECTOR __m256d
#define QUILL_LOAD _mm256_loadu_pd
#define QUILL_STORE _mm256_storeu_pd
#define QUILL_FUNCTION(name) Sleef_finz_##name##d4_u10avx2
#include "fusion/kernels_impl.h"
