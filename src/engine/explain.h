// Reports which expressions were fused, and why others were not.
#pragma once

#include <span>
#include <string>

#include "compiler/fused_region.h"
#include "engine/hot.h"

namespace quill {

// For each expression that met arrays its line, as it is written, and what became of it; "" when there was
// none.
std::string explained(std::span<const SeenRegion> regions);

// For each loop that became machine code its line, what of it the machine executes, and where its code was
// left because a value was not what it had been; "" when there was none.
std::string explained(const std::vector<const HotFunction*>& functions);

// The types of registers in the loops that became machine code, or their linear code, for tests.
std::string dump_types(const std::vector<const HotFunction*>& functions);
std::string dump_native(const std::vector<const HotFunction*>& functions);

}  // namespace quill
