#define QUILL_SET baseline
#define QUILL_WIDTH 1
#include "fusion/kernels_impl.h"
