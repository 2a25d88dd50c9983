// Expressions of a program in one pass.
#pragma once

#include <algorithm>
#include <optional>
#include <span>

#include "compiler/fused_unit.h"
#include "value/value.h"

namespace quill {

class Machine;

// Whether it is worth a pass: no single number.
inline bool may_be_long(const Value& v) { return v.is(Kind::array) || v.is(Kind::range); }
inline bool has_long(const FusedUnit& unit, const Value* r) {
  return std::any_of(unit.variables.begin(), unit.variables.end(), [r](int k) { return may_be_long(r[k]); });
}

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
