// Evaluation of fused regions.
#include <algorithm>

#include "engine/fused.h"
#include "engine/machine.h"
#include "engine/operations.h"

namespace quill {

const Instruction* Machine::pass_fused(const Instruction* ip, Value* r) {
  const auto& i = *ip;
  auto& frame = frames_.back();
  bool has_array = may_be_long(r[i.n]);
  if (i.flag == 1)
    has_array = has_array || may_be_long(r[ip[1].a]) || may_be_long(r[ip[1].b]) || may_be_long(r[ip[1].c]);
  else if (i.flag == 2)
    has_array = has_long(*frame.function->fused[static_cast<std::size_t>(i.b)], r);
  const auto* const code = frame.function->code.data();
  if (has_array) {
    frame.pc = static_cast<std::size_t>(ip - code);
    if (evaluate_fused(*this, *frame.function->fused[static_cast<std::size_t>(i.b)], r, r[i.a]))
      return code + i.c;
  }
  return ip + (i.flag == 1 ? 2 : 1);
}

const Instruction* Machine::pass_fused_set(const Instruction* ip, Value* r) {
  const auto& i = *ip;
  auto& frame = frames_.back();
  auto& region = *frame.function->fused[static_cast<std::size_t>(i.b)];
  // Not for assignment to a single element.
  bool is_part = false;
  for (int k = 0; k < i.n; ++k) is_part |= !r[region.first_subscript + k].is_number();
  if (!is_part) return ip + 1;
  const auto* const code = frame.function->code.data();
  frame.pc = static_cast<std::size_t>(ip - code);
  return set_fused(region, r, r[i.a], i.n, frame.function->nodes[frame.pc]) ? code + i.c : ip + 1;
}

bool Machine::set_fused(FusedRegion& region, Value* r, Value& base, int subscripts, const Node* place) {
  try {
    return evaluate_fused_set(*this, region, r, base,
                              {r + region.first_subscript, static_cast<std::size_t>(subscripts)});
  } catch (Error& error) {
    explain_assignment(error, base, Value(), place);
    throw;
  }
}

}  // namespace quill
