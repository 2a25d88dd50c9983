// Reports which expressions were fused, and why others were not.
#pragma once

#include <span>
#include <string>

#include "compiler/fused_region.h"

namespace quill {

// For each expression that met arrays its line, as it is written, and what became of it; "" when there was
// none.
std::string explained(std::span<const SeenRegion> regions);

}  // namespace quill
