// Tries work that may crash in a child process first.
#pragma once

#include <functional>

namespace quill {

// Runs the work in a child process. False if the child crashes or exceeds this processor time, in seconds:
// for libraries that crash or loop on damaged files. Exceptions and all effects stay in the child.
bool passes_forked_probe(const std::function<void()>& work, unsigned seconds);

}  // namespace quill
