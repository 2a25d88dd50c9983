// Restricts the linear algebra library to one thread: its results depend on the number of threads, and those
// of a script must not. Large operations are divided into pieces of fixed size instead (base/parallel.h).
#pragma once

#include <cblas.h>

// Ends the threads that the library created when it was loaded. Absent in builds without threads.
extern "C" int blas_thread_shutdown_() __attribute__((weak));

namespace quill {

// Otherwise idle threads of the library would spin for a while on all processors.
inline const bool one_blas_thread = [] {
  openblas_set_num_threads(1);
  if (blas_thread_shutdown_ != nullptr) blas_thread_shutdown_();
  return true;
}();

}  // namespace quill
