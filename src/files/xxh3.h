// XXH3 in the widest vector instructions of the processor, where the library was built with a choice of them.
#pragma once

#include <xxhash.h>
#if defined(__x86_64__) && __has_include(<xxh_x86dispatch.h>)
#include <xxh_x86dispatch.h>
#endif
