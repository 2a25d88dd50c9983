// Functions of the text, inlined in the expressions that call them.
#pragma once

#include "compiler/fused_region.h"
#include "value/value.h"

namespace quill {

// The functions that an expression calls, and what was found of them.
using Callees = std::vector<const FunctionObject*>;

// What a read finds, of registers, modules and captures; null when there is no value.
const Value* find_read(const FusedRead& read, const Value* frame, const Callees& callees);

// The region with the bodies of the functions that it calls now, which go into `callees`; itself when it
// calls none. Null when one of them is not a single elementwise expression: why is in the region's expansion.
FusedRegion* expanded(FusedRegion& region, const Value* frame, Callees& callees);

}  // namespace quill
