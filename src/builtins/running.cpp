// Running totals and differences along an axis.
#include "array/reduce.h"
#include "builtins/arguments.h"
#include "builtins/tables.h"

namespace quill {

namespace running_calls {
namespace {

Value running_row(Call& call, Running op) {
  const auto a = call.numbers(0);
  return Value::array(running(op, a, axis_argument(call, 1, a)));
}

Value diff_row(Call& call) {
  const auto a = call.numbers(0);
  return Value::array(differences(a, axis_argument(call, 1, a)));
}

const Parameter kNumbers = {"a", "array of numbers, any shape", ""};

}  // namespace
}  // namespace running_calls

std::vector<Builtin> running_rows() {
  using namespace running_calls;
  return {
      {
          .name = "cumsum",
          .family = "reductions",
          .summary = "Cumulative sum along an axis.",
          .parameters = {kNumbers, {"over", "axis", "1"}},
          .returns = "array of the shape of a",
          .example = "cumsum(1..5)",
          .output = "cumsum(1..5) : float64 5\n   1   3   6  10  15",
          .run = [](Call& c) { return running_row(c, Running::sum); },
      },
      {
          .name = "cumprod",
          .family = "reductions",
          .summary = "Cumulative product along an axis.",
          .parameters = {kNumbers, {"over", "axis", "1"}},
          .returns = "array of the shape of a",
          .example = "cumprod(1..5)",
          .output = "cumprod(1..5) : float64 5\n    1    2    6   24  120",
          .run = [](Call& c) { return running_row(c, Running::product); },
      },
      {
          .name = "diff",
          .family = "reductions",
          .summary = "Differences between neighbouring elements along an axis.",
          .parameters = {kNumbers, {"over", "axis", "1"}},
          .returns = "array, one element shorter along the axis",
          .errors = "no elements",
          .example = "diff([1, 4, 9, 16])",
          .output = "diff([1, 4, 9, 16]) : float64 3\n  3  5  7",
          .run = diff_row,
      },
      {
          .name = "running_max",
          .family = "reductions",
          .summary = "Cumulative maximum along an axis; after a nan the result is nan.",
          .parameters = {kNumbers, {"over", "axis", "1"}},
          .returns = "array of the shape of a",
          .errors = "if a is complex",
          .example = "running_max([2, 5, 3, 7, 1])",
          .output = "running_max([2, 5, 3, 7, 1]) : float64 5\n  2  5  5  7  7",
          .run = [](Call& c) { return running_row(c, Running::maximum); },
      },
      {
          .name = "running_min",
          .family = "reductions",
          .summary = "Cumulative minimum along an axis; after a nan the result is nan.",
          .parameters = {kNumbers, {"over", "axis", "1"}},
          .returns = "array of the shape of a",
          .errors = "if a is complex",
          .example = "running_min([5, 2, 3, 1])",
          .output = "running_min([5, 2, 3, 1]) : float64 4\n  5  2  2  1",
          .run = [](Call& c) { return running_row(c, Running::minimum); },
      },
  };
}

}  // namespace quill
