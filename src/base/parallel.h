// Work that is cut into pieces, done by several threads.
#pragma once

#include <functional>

#include "base/number.h"

namespace quill {

// Calls work(k) for k = 0 … pieces - 1, in any order and from several threads. The pieces must not depend on
// the number of threads, and must neither fail nor touch what another piece or a counted object needs.
void in_parallel(Index pieces, const std::function<void(Index)>& work);

// How many threads there are at most; as many as the machine has processors, unless it was set.
int thread_count();
void set_thread_count(int count);

}  // namespace quill
