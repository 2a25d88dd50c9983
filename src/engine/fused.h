// Fused regions of a program.
#pragma once

#include <algorithm>
#include <optional>
#include <span>

#include "compiler/fused_region.h"
#include "value/value.h"

namespace quill {

class Machine;

// Whether fused evaluation pays: false for single elements.
inline bool may_be_long(const Value& v) {
  return (v.is(Kind::array) && v.array().axes() > 0) || v.is(Kind::range);
}
inline bool has_long(const FusedRegion& region, const Value* r) {
  return std::any_of(region.variables.begin(), region.variables.end(),
                     [r](int k) { return may_be_long(r[k]); });
}

// Sets target to the result of the region; false if its operations have to run one by one.
bool evaluate_fused(Machine& machine, FusedRegion& region, const Value* frame, Value& target);

// base[subscripts] = region, written directly if possible. Inputs at their last use may lose their values.
bool evaluate_fused_set(Machine& machine, FusedRegion& region, Value* frame, Value& base,
                        std::span<const Value> subscripts);
// One operation on whole arrays; nothing if it has to run elsewhere, which includes its errors.
std::optional<Array> operate_fused(Unary op, const Value& a, Domain& domain);
std::optional<Array> operate_fused(Binary op, const Value& a, bool a_literal, const Value& b, bool b_literal,
                                   Domain& domain);

}  // namespace quill
