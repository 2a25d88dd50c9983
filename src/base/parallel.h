// Work that is cut into pieces, done by several threads.
#pragma once

#include <functional>

#include "base/number.h"

namespace quill {

// Calls work(k) for k = 0 … pieces - 1, from several threads, and returns when all are done. The pieces must
// not depend on the number of threads, nor touch counted objects: they see views (array/view.h). An exception
// of a piece is thrown here, that of the first piece which failed, and no further pieces are begun; so is a
// stop that was asked for. Pieces that call this again do their pieces by themselves.
void in_parallel(Index pieces, const std::function<void(Index)>& work);
// The same for what must not stop half way; the pieces look for no stop either.
void in_parallel_to_the_end(Index pieces, const std::function<void(Index)>& work);

// How many threads there are at most; as many as the machine has processors, unless it was set.
int thread_count();
void set_thread_count(int count);

}  // namespace quill
