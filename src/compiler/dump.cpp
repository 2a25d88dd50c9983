#include <fmt/format.h>

#include <array>

#include "compiler/program.h"
#include "value/print.h"

namespace quill {

std::string dump(const Function& function) {
  constexpr std::array names = {"load",
                                "move",
                                "take",
                                "check",
                                "get_global",
                                "add",
                                "subtract",
                                "multiply",
                                "divide",
                                "remainder",
                                "power",
                                "matrix_product",
                                "equal",
                                "not_equal",
                                "less",
                                "less_equal",
                                "greater",
                                "greater_equal",
                                "logical_and",
                                "logical_or",
                                "negate",
                                "logical_not",
                                "transpose",
                                "apply",
                                "jump",
                                "jump_false",
                                "jump_set",
                                "jump_if_known_false",
                                "jump_if_known_true",
                                "range",
                                "tuple",
                                "record",
                                "dictionary",
                                "matrix",
                                "text",
                                "list_begin",
                                "list_push",
                                "list_end",
                                "index",
                                "set_index",
                                "update_index",
                                "extent",
                                "part",
                                "call",
                                "call_builtin",
                                "each",
                                "closure",
                                "self",
                                "give_back",
                                "unpack",
                                "iterate",
                                "next",
                                "again",
                                "show",
                                "card",
                                "expect",
                                "section",
                                "given",
                                "close_block",
                                "timed_begin",
                                "timed_end",
                                "use",
                                "read_shared",
                                "write_shared",
                                "set_shared",
                                "make_alias"};
  static_assert(names.size() == static_cast<std::size_t>(Op::make_alias) + 1);
  std::string out =
      fmt::format("{} frame {}\n", function.name.empty() ? "top" : function.name, function.frame_size);
  for (const auto& [r, number] : function.constants) out += fmt::format("  r{} = {}\n", r, shortest(number));
  for (std::size_t k = 0; k < function.code.size(); ++k) {
    const auto& i = function.code[k];
    out += fmt::format("{:3} {} {} {} {}", k, names[static_cast<std::size_t>(i.op)], i.a, i.b, i.c);
    if (i.n) out += fmt::format(" n{}", i.n);
    out += '\n';
  }
  for (const auto& f : function.functions) out += dump(*f);
  return out;
}

}  // namespace quill
