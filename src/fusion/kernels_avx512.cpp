#include <immintrin.h>
#include <sleef.h>
#define QUILL_SET avx512
#define QUILL_WIDTH 8
#define QUILL_VECTOR __m512d
#define QUILL_LOAD _mm512_loadu_pd
#define QUILL_STORE _mm512_storeu_pd
#define QUILL_FUNCTION(name) Sleef_finz_##name##d8_u10avx512f
#include "fusion/kernels_impl.h"
