// Printing.
#include <fmt/format.h>

#include "base/text.h"
#include "builtins/context.h"
#include "builtins/tables.h"
#include "value/print.h"

namespace quill {

namespace output_calls {
namespace {

Value print_row(Call& call) {
  auto& c = call.context;
  c.output.tell(ValuesPrinted{{call.many().begin(), call.many().end()}, c.state.settings.digits});
  return Value::none();
}

Value show_row(Call& call) {
  auto& c = call.context;
  std::string label = "value";
  if (call.node() && call.node()->argument_count() > 0)
    label = call.runtime.location_of(call.node()).source->text(call.node()->argument(0).span);
  const auto rows = call.given(1) ? call.whole(1) : Index{6};
  if (rows < 1) call.fail_argument(1, fmt::format("must be an integer from 1, not {}", rows));
  c.output.tell(ValueDescribed{label, call.value(0), c.state.settings.digits, rows, call.given(1)});
  return Value::none();
}

Value digits_row(Call& call) {
  const auto n = call.whole(0);
  if (n < 1 || n > 17) call.fail_argument(0, fmt::format("must be an integer from 1 to 17, not {}", n));
  call.context.state.settings.digits = static_cast<int>(n);
  ++call.context.state.settings.digits_set;
  return Value::none();
}

Value fail_row(Call& call) {
  Error error(call.text(0), call.text_or(1, ""));
  error.location = call.runtime.location_of(call.node());
  throw error;
}

Value warn_row(Call& call) {
  call.warn(call.text(0), call.text_or(1, ""));
  return Value::none();
}

Value ask_row(Call& call) { return call.context.ask(call.text(0), call.given(1) ? &call.value(1) : nullptr); }

}  // namespace
}  // namespace output_calls

std::vector<Builtin> output_rows() {
  using namespace output_calls;
  return {
      {
          .name = "print",
          .family = "output",
          .summary = "Print values; texts are printed as they are, arrays in columns.",
          .parameters = {{"values", "values of any kind", "", true}},
          .returns = "nothing",
          .example = "print(\"depth {2.5:.2f} m\")",
          .output = "depth 2.50 m",
          .run = print_row,
          .as_they_are = true,
      },
      {
          .name = "show",
          .family = "output",
          .summary = "Print a value with its name, type, shape and contents.",
          .parameters = {{"x", "any value", ""}, {"rows", "maximum number of rows of a table", "6"}},
          .returns = "nothing",
          .example = "a = [1, 2 | 3, 4]\nshow(a)\nt = (k: 1..20, square: (1..20)^2)\nshow(t, rows: 4)",
          .output = "a : float64 2×2, 1 … 4\n  1  2\n  3  4\nt : table of 20 rows: k float64, square "
                    "float64\n   k  square\n"
                    "   1       1\n   2       4\n  …\n  19     361\n  20     400",
          .run = show_row,
          .as_they_are = true,
      },
      {
          .name = "ask",
          .family = "output",
          .summary = "Ask for a value at the terminal; --set name=value answers in advance.",
          .parameters = {{"name", "text of the question", ""},
                         {"default", "value if there is no answer", "none"}},
          .returns = "the answer, a literal of the same kind as the default",
          .errors = "if there is neither an answer nor a default; if the answer is of another kind",
          .example = "sum(ask(\"sequence\", default: [2, 0, 1, 3]))",
          .output = "sum(ask(\"sequence\", default: [2, 0, 1, 3])) = 6",
          .run = ask_row,
      },
      {
          .name = "fail",
          .family = "output",
          .summary = "Stop the script with an error message.",
          .parameters = {{"message", "text: what is wrong", ""}, {"hint", "text: what may help", "\"\""}},
          .returns = "nothing; the call does not return",
          .example = "fn depth_of(reading) {\n    if reading < 0 { fail(\"a reading below 0: {reading}\") }\n"
                     "    return reading * 1.5\n}\ndepth_of(2)",
          .output = "depth_of(2) = 3",
          .run = fail_row,
      },
      {
          .name = "warn",
          .family = "output",
          .summary = "Report a warning; the script continues.",
          .parameters = {{"message", "a text", ""}, {"hint", "text: what may help", "\"\""}},
          .returns = "nothing",
          .example = "gaps = 0\nif gaps > 0 { warn(\"{gaps} readings are missing\") }\ngaps",
          .output = "gaps = 0",
          .run = warn_row,
      },
      {
          .name = "digits",
          .family = "output",
          .summary = "Set the number of significant digits printed; initially 5.",
          .parameters = {within(1, 17, {"n", "from 1 to 17", ""})},
          .returns = "nothing",
          .example = "digits(3)\npi",
          .output = "pi = 3.14",
          .run = digits_row,
      },
  };
}

}  // namespace quill
