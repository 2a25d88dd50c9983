// Parts of the language that help and search describe beside the built-ins.
#include <algorithm>
#include <array>

#include "builtins/tables.h"

namespace quill {

namespace {

constexpr auto kTopics = std::to_array<Topic>({
    {"range", "first..last, first..last by step, first..last count n",
     "Range of evenly spaced numbers; both ends are included.", "evenly spaced sequence step grid points",
     "0..1 by 0.25\n0..100 count 5",
     "0..1 by 0.25 : range of 5, 0 … 1 by 0.25\n  0.00  0.25  0.50  0.75  1.00\n0..100 count 5 : range of 5, "
     "0 … "
     "100 by 25\n    0   25   50   75  100"},
    {"index", "a[k], a[first..last], a[mask], a[.., k], a[last]",
     "Select elements by index (from 1), range or condition; `last` is the end of an axis, `..` all of it.",
     "subscript slice slicing element selection mask condition last",
     "a = [10, 20, 30, 40]\na[2..last]\na[a > 15]",
     "a[2..last] : float64 3\n  20  30  40\na[a > 15] : float64 3\n  20  30  40"},
    {"comprehension", "[expression for name in values if condition]",
     "Collect the results of an expression in an array; with `down` and `across`, in a matrix.",
     "loop list generator", "[k^2 for k in 1..5 if k != 3]",
     "[k^2 for k in 1..5 if k != 3] : float64 4\n   1   4  16  25"},
    {"operators", "+ - * / % ^ *+ ' == != < <= > >= and or not",
     "Elementwise arithmetic, comparisons and logic; *+ is the matrix product and ' the transpose.",
     "arithmetic power remainder modulo matrix product multiplication transpose logical comparison",
     "[1, 2 | 3, 4] *+ [1, 1]\n[7, -7] % 3",
     "[1, 2 | 3, 4] *+ [1, 1] : float64 2\n  3  7\n[7, -7] % 3 : float64 2\n  1  2"},
    {"fn", "fn name(parameters) = expression, or fn name(parameters) { … return value }",
     "Define a function; fn(x) = … is a function without a name.", "function define lambda anonymous return",
     "fn area(r) = pi * r^2\narea(2)", "area(2) = 12.566"},
    {"each", "each f(x, …)", "Apply a function to every element; arguments are broadcast.",
     "elementwise map apply vectorize",
     "fn layer(t) = if t > 8 then \"warm\" else \"cold\"\neach layer([18, 5])",
     "each layer([18, 5]) : text 2\n  \"warm\"  \"cold\""},
    {"if", "if condition { … } else { … }, or if condition then a else b",
     "Run statements, or choose a value, by a condition.", "condition branch else then conditional",
     "x = 3\nif x > 2 { print(\"deep\") } else { print(\"shallow\") }", "deep"},
    {"for", "for name in values { … }", "Repeat statements for each element, row, key or number.",
     "loop iterate break continue", "for k in 1..3 { print(k^2) }", "1\n4\n9"},
    {"while", "while condition { … }", "Repeat statements while a condition is true; `break` ends the loop.",
     "loop break continue", "n = 1\nwhile n < 100 { n = 2 * n }\nn", "n = 128"},
    {"alias", "alias a[index]", "Create a name for a part of an array; assigning to it changes the array.",
     "view reference share", "a = [1, 2, 3]\nw = alias a[2..3]\nw[..] = 0\na", "a : float64 3\n  1  0  0"},
    {"given", "given name = default \"description (unit)\"",
     "Declare an input of a script; --set name=value gives another value.", "input parameter argument option",
     "given rate = 0.3 \"decay rate (1/day)\"\nrate", "rate = 0.3"},
    {"expect", "expect condition", "Check a condition; a failed check is an error that shows the values.",
     "assert test check verify", "x = [1, 2, 4]\nexpect all(diff(x) > 0)", ""},
    {"section", "section \"Title\"", "Start a part of a script, which --section runs up to its end.",
     "chapter heading part", "section \"Load\"\nprint(\"loaded\")", "loaded"},
    {"use", "use \"file.eq\" as name", "Load functions and values from another script.",
     "import include module library", "", ""},
    {"timed", "timed \"label\" (repeat: 20) { … }", "Measure the time and memory of statements.",
     "benchmark profile speed clock", "", ""},
});

}  // namespace

std::span<const Topic> topics() { return kTopics; }

const Topic* find_topic(std::string_view name) {
  const auto found =
      std::find_if(kTopics.begin(), kTopics.end(), [&](const Topic& topic) { return topic.name == name; });
  return found == kTopics.end() ? nullptr : &*found;
}

}  // namespace quill
