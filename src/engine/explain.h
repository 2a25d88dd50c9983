// What went in one pass, and what stopped it.
#pragma once

#include <span>
#include <string>

#include "compiler/fused_region.h"

namespace quill {

// For each expression that met arrays its line, as it is written, and what became of it; "" when there was
// none.
std::string explained(std::span<const SeenUnit> regions);

}  // namespace quill
