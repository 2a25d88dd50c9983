// Numerical libraries in use.
#pragma once

#include <string>
#include <utility>
#include <vector>

namespace quill {

// Name and version of each, as loaded.
std::vector<std::pair<std::string, std::string>> numerics_libraries();

}  // namespace quill
