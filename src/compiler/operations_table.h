// Operations of compiled programs, one row each.
#pragma once

#include <array>
#include <optional>
#include <string_view>

#include "array/elementwise.h"
#include "compiler/program.h"

namespace quill {

// Role of each of an instruction's three numbers. Numbers other than registers (literals, forms, axes) have
// the role none; jump targets have their own.
enum class OperandRole : std::uint8_t {
  none,
  read,
  write,
  change,      // reads and writes
  jump,        // an instruction that may come next
  read_run,    // n registers from here
  write_run,   // n registers from here
  read_after,  // this register and n after it, which may lose their values
  state,       // four registers of an iteration: modified
  new_state,   // the same: written
  special      // see visit_operands (operands.cpp)
};

struct OpRow {
  Op op;
  std::string_view name;  // in dumps
  OperandRole a = OperandRole::none, b = OperandRole::none, c = OperandRole::none;
  std::optional<Binary> binary = {};  // for elementwise binary operators
  // May run other code, which may read all variables of the module and do anything else.
  bool runs_code = false;
};

namespace operations_table {

using enum OperandRole;

inline constexpr auto kRows = std::to_array<OpRow>({
    {Op::load, "load", write},
    {Op::move, "move", write, read},
    {Op::take, "take", write, change},
    {Op::check, "check", read},
    {Op::get_global, "get_global", write},
    {Op::global_early, "global_early", write},
    {Op::global_once, "global_once", change},
    {Op::matrix_product, "matrix_product", write, read, read},
#define QUILL_ROW(name, ...) {Op::name, #name, write, read, read, Binary::name},
    QUILL_ELEMENTWISE_OPERATORS(QUILL_ROW)
#undef QUILL_ROW
        {Op::negate, "negate", write, read},
    {Op::logical_not, "logical_not", write, read},
    {Op::transpose, "transpose", write, read},
    {Op::apply, "apply", write, read},
    {Op::jump, "jump", jump},
    {Op::jump_false, "jump_false", jump, read},
    {Op::jump_set, "jump_set", jump, read},
    {Op::jump_if_known_false, "jump_if_known_false", jump, read},
    {Op::jump_if_known_true, "jump_if_known_true", jump, read},
    {Op::range, "range", write, special},
    {Op::tuple, "tuple", write, read_run},
    {Op::record, "record", write, read_run},
    {Op::dictionary, "dictionary", write, read_run},
    {Op::matrix, "matrix", write, read_run},
    {Op::text, "text", write, read_run},
    {Op::list_begin, "list_begin", write},
    {Op::list_push, "list_push", change, read},
    {Op::list_end, "list_end", change, none, special},
    {Op::index, "index", write, read, read_run},
    {Op::set_index, "set_index", change, read_run, read},
    {Op::update_index, "update_index", change, read_run, read},
    {Op::extent, "extent", write, read},
    {Op::part, "part", write, read},
    {Op::part_early, "part_early", write, read},
    {Op::part_once, "part_once", change, read},
    {Op::call, "call", write, read_after, none, {}, true},
    {Op::call_builtin, "call_builtin", write, read_run, none, {}, true},
    {Op::each, "each", write, read_after, none, {}, true},
    {Op::closure, "closure", write, special, special},
    {Op::self, "self", write},
    {Op::return_value, "return_value", special},
    {Op::unpack, "unpack", write_run, read},
    {Op::iterate, "iterate", new_state, read},
    {Op::next, "next", state, write, jump},
    {Op::loop_next, "loop_next", state, write, jump},
    {Op::show, "show", read, none, none, {}, true},
    {Op::card, "card", read, none, none, {}, true},
    {Op::expect, "expect", special},
    {Op::section, "section", none, none, none, {}, true},
    {Op::given, "given", write, read, none, {}, true},
    {Op::close_block, "close_block", none, none, none, {}, true},
    {Op::close_frame, "close_frame", read, none, none, {}, true},
    {Op::timed_begin, "timed_begin", special, none, special, {}, true},
    {Op::timed_end, "timed_end", special, none, special, {}, true},
    {Op::use, "use", write, none, none, {}, true},
    {Op::read_shared, "read_shared", write, read},
    {Op::write_shared, "write_shared", change, read},
    {Op::set_shared, "set_shared", change, read_run, read},
    {Op::fused, "fused", write, special, jump, {}, true},
    {Op::fused_more, "fused_more"},
    {Op::fused_set, "fused_set", change, special, jump, {}, true},
    {Op::make_alias, "make_alias", write, change, special},
});

}  // namespace operations_table

inline constexpr const auto& kOps = operations_table::kRows;
static_assert(kOps.size() == static_cast<std::size_t>(Op::make_alias) + 1);
static_assert([] {
  for (std::size_t k = 0; k < kOps.size(); ++k)
    if (static_cast<std::size_t>(kOps[k].op) != k) return false;
  return true;
}());

inline const OpRow& row_of(Op op) { return kOps[static_cast<std::size_t>(op)]; }
// For operations that have one.
inline Binary binary_of(Op op) { return row_of(op).binary.value(); }

}  // namespace quill
