// Files that are read in parts.
#pragma once

#include "files/parts.h"
#include "value/registry.h"

namespace quill {

// Whether a name is that of a file that can be read in parts.
bool has_parts(const std::string& name);
// The variables `only` names, and of each the positions that `ranges` gives for its dimensions.
PartsWanted parts_wanted(const Call& call, std::size_t only, std::size_t ranges);
// Those parts of a file.
Data read_parts_of(const Call& call, const std::string& name, const PartsWanted& wanted);

}  // namespace quill
