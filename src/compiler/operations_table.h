// The operations of programs, one row each.
#pragma once

#include <array>
#include <optional>
#include <string_view>

#include "array/elementwise.h"
#include "compiler/program.h"

namespace quill {

struct OpRow {
  Op op;
  std::string_view name;              // in the text form
  std::optional<Binary> binary = {};  // of the operators of two operands that go element by element
};

inline constexpr auto kOps = std::to_array<OpRow>({
    {Op::load, "load"},
    {Op::move, "move"},
    {Op::take, "take"},
    {Op::check, "check"},
    {Op::get_global, "get_global"},
    {Op::matrix_product, "matrix_product"},
#define QUILL_ROW(name, ...) {Op::name, #name, Binary::name},
    QUILL_ELEMENTWISE_OPERATORS(QUILL_ROW)
#undef QUILL_ROW
        {Op::negate, "negate"},
    {Op::logical_not, "logical_not"},
    {Op::transpose, "transpose"},
    {Op::apply, "apply"},
    {Op::jump, "jump"},
    {Op::jump_false, "jump_false"},
    {Op::jump_set, "jump_set"},
    {Op::jump_if_known_false, "jump_if_known_false"},
    {Op::jump_if_known_true, "jump_if_known_true"},
    {Op::range, "range"},
    {Op::tuple, "tuple"},
    {Op::record, "record"},
    {Op::dictionary, "dictionary"},
    {Op::matrix, "matrix"},
    {Op::text, "text"},
    {Op::list_begin, "list_begin"},
    {Op::list_push, "list_push"},
    {Op::list_end, "list_end"},
    {Op::index, "index"},
    {Op::set_index, "set_index"},
    {Op::update_index, "update_index"},
    {Op::extent, "extent"},
    {Op::part, "part"},
    {Op::call, "call"},
    {Op::call_builtin, "call_builtin"},
    {Op::each, "each"},
    {Op::closure, "closure"},
    {Op::self, "self"},
    {Op::give_back, "give_back"},
    {Op::unpack, "unpack"},
    {Op::iterate, "iterate"},
    {Op::next, "next"},
    {Op::again, "again"},
    {Op::show, "show"},
    {Op::card, "card"},
    {Op::expect, "expect"},
    {Op::section, "section"},
    {Op::given, "given"},
    {Op::close_block, "close_block"},
    {Op::close_frame, "close_frame"},
    {Op::timed_begin, "timed_begin"},
    {Op::timed_end, "timed_end"},
    {Op::use, "use"},
    {Op::read_shared, "read_shared"},
    {Op::write_shared, "write_shared"},
    {Op::set_shared, "set_shared"},
    {Op::fused, "fused"},
    {Op::fused_more, "fused_more"},
    {Op::fused_set, "fused_set"},
    {Op::make_alias, "make_alias"},
});
static_assert(kOps.size() == static_cast<std::size_t>(Op::make_alias) + 1);
static_assert([] {
  for (std::size_t k = 0; k < kOps.size(); ++k)
    if (static_cast<std::size_t>(kOps[k].op) != k) return false;
  return true;
}());

inline const OpRow& row_of(Op op) { return kOps[static_cast<std::size_t>(op)]; }
// Of an operation that is one.
inline Binary binary_of(Op op) { return row_of(op).binary.value(); }

}  // namespace quill
