// Completion of lines.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "session/session.h"

namespace quill {

struct Completion {
  std::size_t start = 0;           // where the completed word begins in the line
  std::vector<std::string> found;  // complete words, sorted
};

// Completes names, parts of values, arguments of the open call, choices of an argument, files in quotes, and
// words of the prompt with their arguments.
Completion complete_line(std::string_view before, const Session& session);

}  // namespace quill
