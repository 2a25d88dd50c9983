// What could stand at the end of a line that somebody types.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "session/session.h"

namespace quill {

struct Completion {
  std::size_t start = 0;           // where what is found begins in the line
  std::vector<std::string> found;  // whole words, sorted
};

// Names, parts of values, arguments of the call that is open, the choices of an argument, files between
// quotes, the words of the prompt and what follows them.
Completion complete_line(std::string_view before, const Session& session);

}  // namespace quill
