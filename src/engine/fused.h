// Expressions of a program in one pass.
#pragma once

#include <optional>
#include <span>

#include "compiler/fused_unit.h"
#include "value/value.h"

namespace quill {

class Machine;

// target = the unit of the values in the frame; false when its operations have to go one by one.
bool evaluate_fused(Machine& machine, FusedUnit& unit, const Value* frame, Value& target);

// base[subscripts] = the unit, written where it belongs when nothing speaks against it. Inputs that nothing
// else needs may lose their values.
bool evaluate_fused_set(Machine& machine, FusedUnit& unit, Value* frame, Value& base,
                        std::span<const Value> subscripts);
// One operation on whole arrays; nothing where it has to go another way, its errors among them.
std::optional<Array> operate_fused(Unary op, const Value& a, Domain& domain);
std::optional<Array> operate_fused(Binary op, const Value& a, bool a_literal, const Value& b, bool b_literal,
                                   Domain& domain);

}  // namespace quill
