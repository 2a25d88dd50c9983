// The linear algebra library, kept to one thread: its results depend on how many it uses, and those of a
// script must not. What is worth several threads is cut into pieces of a fixed size (base/parallel.h).
#pragma once

#include <cblas.h>

namespace quill {

inline const bool one_blas_thread = (openblas_set_num_threads(1), true);

}  // namespace quill
