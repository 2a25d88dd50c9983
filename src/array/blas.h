// The linear algebra library, kept to one thread: its results depend on how many it uses, and those of a
// script must not. What is worth several threads is cut into pieces of a fixed size (base/parallel.h).
#pragma once

#include <cblas.h>

// Ends the threads that the library has made when it was loaded. Not every build of it has any.
extern "C" int blas_thread_shutdown_() __attribute__((weak));

namespace quill {

// Threads without work would still look for some for a while, on all processors.
inline const bool one_blas_thread = [] {
  openblas_set_num_threads(1);
  if (blas_thread_shutdown_ != nullptr) blas_thread_shutdown_();
  return true;
}();

}  // namespace quill
