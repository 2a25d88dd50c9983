// Work that may bring down the process, tried in another one first.
#pragma once

#include <functional>

namespace quill {

// Does the work in a child process. False when that did not end by itself within so many seconds of processor
// time: a library that trips over damaged bytes, or never comes to an end with them, ends the child alone.
// What the work throws, and all it changes, stays in the child.
bool passes_forked_probe(const std::function<void()>& work, unsigned seconds);

}  // namespace quill
