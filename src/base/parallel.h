// Parallel execution of work divided into pieces.
#pragma once

#include <functional>

#include "base/number.h"

namespace quill {

// Calls work(k) for k = 0 … pieces - 1 on several threads and returns when all are done. The division into
// pieces must not depend on the number of threads, and pieces must not touch reference counts: they use views
// (array/view.h). Rethrows the exception of the first piece that failed, and starts no further pieces; the
// same for a requested stop. Nested calls run serially.
void in_parallel(Index pieces, const std::function<void(Index)>& work);
// The same for work that must not stop half way; pieces do not poll either.
void in_parallel_to_the_end(Index pieces, const std::function<void(Index)>& work);

// Maximum number of threads; the number of processors unless set otherwise.
int thread_count();
void set_thread_count(int count);

}  // namespace quill
