// Functions of the text, written out in the expressions that call them.
#pragma once

#include "compiler/fused_unit.h"
#include "value/value.h"

namespace quill {

// The functions that an expression calls, and what was found of them.
using Callees = std::vector<const FunctionObject*>;

// What a read finds, of registers, modules and captures; null when there is no value.
const Value* find_read(const FusedRead& read, const Value* frame, const Callees& callees);

// The unit with the bodies of the functions that it calls now, which go into `callees`; itself when it calls
// none. Null when one of them is not a single elementwise expression: why is in the unit's expansion.
FusedUnit* expanded(FusedUnit& unit, const Value* frame, Callees& callees);

}  // namespace quill
