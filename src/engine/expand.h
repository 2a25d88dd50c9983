// Inlines functions of the program in the expressions that call them.
#pragma once

#include "compiler/fused_region.h"
#include "value/value.h"

namespace quill {

// The functions that an expression calls.
using Callees = std::vector<const FunctionObject*>;

// Value of a read of a register, module or capture; null if it has none.
const Value* find_read(const FusedRead& read, const Value* frame, const Callees& callees);

// The region with the bodies of the functions it currently calls inlined; these are stored in `callees`. The
// region itself if it calls none. Null if a function is not a single elementwise expression; the reason is
// stored in the region's expansion.
FusedRegion* expanded(FusedRegion& region, const Value* frame, Callees& callees);

}  // namespace quill
