// Expressions of a program in one pass.
#pragma once

#include "compiler/fused_unit.h"
#include "value/value.h"

namespace quill {

class Machine;

// target = the unit of the values in the frame; false when its operations have to go one by one.
bool evaluate_fused(Machine& machine, FusedUnit& unit, const Value* frame, Value& target);

}  // namespace quill
