#include "native/code.h"

#include <fmt/format.h>

#include <array>

namespace quill::native {

namespace {

constexpr auto kNames = std::to_array<const char*>({"constant",
                                                    "copy",
                                                    "add",
                                                    "subtract",
                                                    "multiply",
                                                    "divide",
                                                    "remainder",
                                                    "remainder_31",
                                                    "negate",
                                                    "add_checked",
                                                    "subtract_checked",
                                                    "multiply_checked",
                                                    "equal",
                                                    "not_equal",
                                                    "less",
                                                    "less_equal",
                                                    "greater",
                                                    "greater_equal",
                                                    "logical_and",
                                                    "logical_or",
                                                    "logical_not",
                                                    "square_root",
                                                    "floor",
                                                    "ceil",
                                                    "truncate",
                                                    "round",
                                                    "absolute",
                                                    "multiply_add",
                                                    "call_1",
                                                    "call_2",
                                                    "to_number",
                                                    "to_whole",
                                                    "bits",
                                                    "narrow",
                                                    "select",
                                                    "address",
                                                    "load",
                                                    "store",
                                                    "load_kind",
                                                    "load_register",
                                                    "store_register",
                                                    "load_result",
                                                    "store_result",
                                                    "help",
                                                    "poll",
                                                    "label",
                                                    "jump",
                                                    "branch",
                                                    "leave",
                                                    "load_depth",
                                                    "save",
                                                    "call_body",
                                                    "give"});
static_assert(kNames.size() == static_cast<std::size_t>(Do::give) + 1);

// Addresses differ from run to run.
bool has_address(const Step& step) {
  return step.what == Do::help || step.what == Do::call_1 || step.what == Do::call_2 ||
         ((step.what == Do::load_kind || step.what == Do::load_register) && step.p == 1);
}

}  // namespace

std::string dump(const Code& code) {
  std::string out;
  for (const auto& step : code.steps) {
    out += fmt::format("    {}", kNames[static_cast<std::size_t>(step.what)]);
    if (step.dst >= 0) out += fmt::format(" v{} =", step.dst);
    for (const int v : {step.x, step.y, step.z})
      if (v >= 0) out += fmt::format(" v{}", v);
    if (step.what == Do::branch) out += fmt::format(" l{} l{}", step.p, step.q);
    if (step.what == Do::jump) out += fmt::format(" l{}", step.p);
    if (step.what == Do::call_body) out += fmt::format(" body {}", step.p);
    if (step.what == Do::help) out += fmt::format(" {} {}", step.p, step.q);
    if (step.what == Do::constant &&
        code.variables[static_cast<std::size_t>(step.dst)] == VariableType::number)
      out += fmt::format(" {}", step.number);
    else if (!has_address(step) && step.what != Do::call_body && step.immediate != 0)
      out += fmt::format(" {}", step.immediate);
    out += '\n';
  }
  for (std::size_t k = 0; k < code.bodies.size(); ++k)
    out += fmt::format("    body {}:\n", k) + dump(code.bodies[k]);
  return out;
}

}  // namespace quill::native
