// Reports which expressions were fused, and why others were not.
#pragma once

#include <span>
#include <string>

#include "compiler/fused_region.h"
#include "engine/hot.h"

namespace quill {

// For each expression over arrays: its line, its source text and how it was evaluated; "" if there was none.
std::string explained(std::span<const SeenRegion> regions);

// For each loop with native code: its line, instructions left to the machine, and failed checks; "" if there
// was none.
std::string explained(const std::vector<const HotFunction*>& functions);

// Register types of loops with native code, or their linear code; for tests.
std::string dump_types(const std::vector<const HotFunction*>& functions);
std::string dump_native(const std::vector<const HotFunction*>& functions);

}  // namespace quill
