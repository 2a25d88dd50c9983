#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "compiler/fused_region.h"
#include "compiler/operations_table.h"
#include "compiler/program.h"
#include "value/print.h"

namespace quill {

namespace {

std::string flags_of(const std::vector<bool>& flags) {
  std::string out;
  for (const bool flag : flags) out += flag ? '1' : '0';
  return out;
}

std::string in_quotes(const std::vector<std::string>& texts) {
  std::string out;
  for (const auto& text : texts) out += fmt::format(" \"{}\"", printable(text));
  return out;
}

// Tables that belong to the code.
std::string tables_of(const Function& f) {
  std::string out;
  const auto line = [&](const char* what, std::size_t k, const std::string& contents) {
    out += fmt::format("  {} {}:{}\n", what, k, contents);
  };
  for (std::size_t k = 0; k < f.literals.size(); ++k)
    line("literal", k,
         fmt::format(" {} {}", type_name(f.literals[k]), printable(inline_text(f.literals[k]))));
  for (std::size_t k = 0; k < f.name_lists.size(); ++k) line("names", k, in_quotes(f.name_lists[k]));
  for (std::size_t k = 0; k < f.calls.size(); ++k) {
    const auto& call = f.calls[k];
    line("form", k,
         fmt::format("{} literals {} row {}{} {}", in_quotes(call.names), flags_of(call.literal), call.row,
                     call.is_bound ? " parameters" : "", fmt::join(call.parameters, " ")));
  }
  for (std::size_t k = 0; k < f.templates.size(); ++k) {
    std::string pieces;
    for (const auto& piece : f.templates[k])
      pieces += piece.is_hole ? fmt::format(" {{:{}}}", piece.text) : in_quotes({piece.text});
    line("text", k, pieces);
  }
  for (std::size_t k = 0; k < f.brackets.size(); ++k)
    line("bracket", k,
         fmt::format(" rows {} literals {}{}", fmt::join(f.brackets[k].lengths, " "),
                     flags_of(f.brackets[k].literal), f.brackets[k].is_matrix ? " matrix" : ""));
  for (std::size_t k = 0; k < f.fused.size(); ++k) {
    auto text = fmt::format(" {} of", fusion::dump(f.fused[k]->fused.expression()));
    for (const auto& input : f.fused[k]->inputs)
      text += fmt::format(" r{}{}", input.index, input.literal ? "!" : "");
    line("fused", k, text);
  }
  for (std::size_t k = 0; k < f.captures.size(); ++k)
    out += fmt::format("  captures {} {} as {}\n", static_cast<int>(f.captures[k].kind), f.captures[k].index,
                       f.captured_names[k]);
  return out;
}

}  // namespace

std::uint32_t next_function_id() {
  static std::uint32_t last = 0;
  return ++last;
}

std::string dump(const Function& function) {
  std::string out =
      fmt::format("{} frame {}\n", function.name.empty() ? "top" : function.name, function.frame_size);
  if (!function.parameters.empty())
    out += fmt::format("  parameters{} defaults {}{}\n", in_quotes(function.parameters),
                       flags_of(function.has_default), function.is_expression ? " expression" : "");
  for (const auto& [r, number] : function.constants)
    out += fmt::format("  r{} = {}\n", r, std::signbit(number) && number == 0 ? "-0" : shortest(number));
  for (std::size_t k = 0; k < function.code.size(); ++k) {
    const auto& i = function.code[k];
    out += fmt::format("{:3} {} {} {} {}", k, row_of(i.op).name, i.a, i.b, i.c);
    if (i.n) out += fmt::format(" n{}", i.n);
    if (i.flag) out += fmt::format(" f{}", i.flag);
    out += '\n';
  }
  out += tables_of(function);
  for (const auto& f : function.functions) out += dump(*f);
  return out;
}

}  // namespace quill
