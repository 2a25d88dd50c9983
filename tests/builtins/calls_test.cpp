// What the built-ins give, and what they refuse, called as a script calls them.
#include <catch2/catch.hpp>
#include <cmath>

#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("making arrays") {
  check_calls({{"zeros()", "0"},
               {"zeros(0)", "[]"},
               {"zeros([2, 1])", "[0 | 0]"},
               {"zeros(2, type: \"bool\")", "[false, false]"},
               {"ones(2, type: \"complex128\")", "[1 + 0i, 1 + 0i]"},
               {"filled(\"a\", 2)", "[\"a\", \"a\"]"},
               {"filled(true, 1, 2)", "[true, true]"},
               {"filled(2i, 2)", "[0 + 2i, 0 + 2i]"},
               {"filled([1, 2], 2)", "[[1, 2], [1, 2]]"},
               {"identity(0)", "[]"},
               {"list()", "[]"},
               {"shape(zeros(3, 0, 2))", "[3, 0, 2]"},
               {"axes(5)", "0"},
               {"length(5)", "1"},
               {"length((1, 2, 3))", "3"},
               {"size(zeros(3, 4))", "12"},
               {"type(1..3)", "range"},
               {"type(fn(x) = x)", "function"},
               {"type(sum)", "built-in"},
               {"type(none)", "none"},
               {"type([1, \"a\"])", "any"}});
  check_errors(
      {{"zeros(-1)", "zeros: a size must be an integer from 0, not -1", ""},
       {"zeros(1.5)", "zeros: a size must be an integer from 0, not 1.5", ""},
       {"zeros(\"2\")", "zeros: a size must be a number, not the text \"2\"", ""},
       {"zeros(10^6, 10^6)", "not enough memory: 1 000 000 000 000 elements of float64 need 8.0 TB", ""},
       {"zeros(2, type: \"flot64\")", "zeros: `type` must be an element type, not \"flot64\"",
        "did you mean \"float64\"?"},
       {"zeros(2, type: \"int23\")", "zeros: `type` must be an element type, not \"int23\"",
        "did you mean \"int32\"?"},
       {"zeros(2, type: \"text\")", "zeros: `type` must be a numeric type",
        "filled(value, …) takes any kind of value"},
       {"identity(-2)", "identity: `n` must be a size from 0, not -2", ""},
       {"identity(1.5)", "identity: `n` must be an integer, not 1.5", ""}});
}

TEST_CASE("shapes") {
  check_calls({{"reshape(1..6, [3, 2])", "[1, 2 | 3, 4 | 5, 6]"},
               {"reshape(1..6, auto)", "[1, 2, 3, 4, 5, 6]"},
               {"reshape([1, 2 | 3, 4]', 4)", "[1, 3, 2, 4]"},
               {"flatten([1, 2 | 3, 4]')", "[1, 3, 2, 4]"},
               {"join([1, 2 | 3, 4], [5, 6 | 7, 8], over: 2)", "[1, 2, 5, 6 | 3, 4, 7, 8]"},
               {"join([\"a\"], [\"b\"])", "[\"a\", \"b\"]"},
               {"join([], [1])", "[1]"},
               {"stack(1, 2, 3)", "[1, 2, 3]"},
               {"reverse([1, 2 | 3, 4], over: 2)", "[2, 1 | 4, 3]"},
               {"append([], [1, 2])", "[1, 2]"},
               {"shape(append([], [1, 2]))", "[1, 2]"},
               {"append([1, 2 | 3, 4], [5, 6])", "[1, 2 | 3, 4 | 5, 6]"},
               {"append(list(1), \"a\")", "[1, \"a\"]"},
               {"append([\"a\"], \"b\")", "[\"a\", \"b\"]"},
               {"across([1 | 2])", "[1, 2]"},
               {"shape(across(5))", "[1, 1]"},
               {"positions([true, false, true])", "[1, 3]"},
               {"sort([3, nan, 1])", "[1, 3, nan]"},
               {"sort([3, 1, 2], descending: true)", "[3, 2, 1]"},
               {"sort([true, false])", "[false, true]"},
               {"outer([1, 2], [1, 1])", "[1, 1 | 2, 2]"}});
  check_errors(
      {{"reshape(1..6, auto, auto)", "only one size can be auto", ""},
       {"reshape(1..6, auto, 4)", "an array of 6 elements cannot be divided into the shape auto×4",
        "shapes that fit: 1×6, 2×3 or 3×2"},
       {"reshape(1..6, 2.5)", "reshape: a size must be an integer from 0 or auto, not the number 2.5", ""},
       {"auto()", "`auto` is a size that reshape computes", "reshape(a, 10, auto)"},
       {"join([1], [1, 2 | 3, 4])",
        "arrays of shapes 1 and 2×2 cannot be joined along axis 1: the other sizes differ", ""},
       {"join()", "join requires at least one array", ""},
       {"join(1, 2)", "join takes vectors, matrices and so on, not single values",
        "[a, b] makes a vector of them"},
       {"join([1], over: 2)", "there is no axis 2 for `over`: this array has axis 1 only", ""},
       {"stack([1], [1, 2])", "arrays of shapes 1 and 2 cannot be stacked", ""},
       {"append([1, 2], [3, 4])", "append to an array of shape 2 takes a single element, not 2",
        "to concatenate two vectors, write join(a, b)"},
       {"append([1, 2 | 3, 4], [5])", "append to an array of shape 2×2 takes a row of shape 2, not 1", ""},
       {"append([1, 2 | 3, 4], 5)",
        "append to an array of shape 2×2 takes a row of shape 2, not a single number", ""},
       {"append(1, 2)", "append adds to a vector or a matrix, not to a single number", ""},
       {"down(zeros(2, 2))", "down takes a vector, or a matrix with one row or column, not 2×2", ""},
       {"sort([1i])", "elements of type complex128 cannot be ordered", "sort abs(z) or real(z)"},
       {"positions([1, 0])", "positions: `mask` must be an array of booleans, not a vector of 2 float64",
        "positions(v > 2)"},
       {"reverse(3)", "reverse: `a` must be an array, not a single value", ""}});
}

TEST_CASE("elementwise functions take arrays of any shape") {
  check_calls({{"sqrt([4, 9 | 16, 25])", "[2, 3 | 4, 5]"},
               {"abs(3 - 4i)", "5"},
               {"sqrt(complex(-9))", "0 + 3i"},
               {"real([1 + 2i, 3])", "[1, 3]"},
               {"conj(1i)", "0 - 1i"},
               {"abs([true, false])", "[1, 0]"},
               {"exp(0..1)", "[1, 2.718281828459045]"},
               {"clamp([-1, 5], 0, [1, 2])", "[0, 2]"},
               {"atan2(0, -1) == pi", "true"},
               {"hypot([3, 5], [4, 12])", "[5, 13]"},
               {"complex(1, 2) * 1i", "-2 + 1i"},
               {"pick([true, false], [\"a\", \"b\"], \"c\")", "[\"a\", \"c\"]"},
               {"is_nan([nan, 1])", "[true, false]"},
               {"floor(-0.5)", "-1"},
               {"sign([-2, 0, nan])", "[-1, 0, nan]"}});
  check_errors({{"sqrt(\"a\")", "sqrt takes numbers, not text", ""},
                {"floor(1i)", "floor is not defined for complex numbers",
                 "use real(z), imag(z) or abs(z) for a real number"},
                {"sqrt(none)", "sqrt takes numbers, not none", ""},
                {"atan2(1i, 1)", "atan2: `y` must contain real numbers, not complex numbers",
                 "real(z) or abs(z) makes them real"},
                {"pick([1, 0], 1, 2)", "pick takes a condition first, not float64", "pick(x > 0, a, b)"},
                {"pick([true, false], [1, 2, 3], 0)", "shapes do not match: 2 and 3", ""},
                {"clamp(\"a\", 0, 1)", "clamp: `x` must contain numbers, not text", ""}});
}

TEST_CASE("reductions with over, keep and skip_nan") {
  check_calls({{"sum([1, 2 | 3, 4])", "10"},
               {"sum([1, 2 | 3, 4], over: 1)", "[4, 6]"},
               {"sum([1, 2 | 3, 4], over: 2)", "[3, 7]"},
               {"sum([1, 2 | 3, 4], keep: true)", "[10]"},
               {"shape(sum(ones(2, 3, 4), over: 2, keep: true))", "[2, 1, 4]"},
               {"sum(1..100)", "5050"},
               {"sum([])", "0"},
               {"sum(zeros(0, 3), over: 1)", "[0, 0, 0]"},
               {"sum([1 + 1i, 2])", "3 + 1i"},
               {"product([])", "1"},
               {"min([3, 1 | 2, 5], over: 2)", "[1, 2]"},
               {"max([1, 5], [3, 2])", "[3, 5]"},
               {"max([1, nan, 3], skip_nan: true)", "3"},
               {"mean([1, 2 | 3, 6], over: 1)", "[2, 4]"},
               {"median([1, 2, 3, 10])", "2.5"},
               {"variance([2, 4])", "2"},
               {"std(5)", "nan"},
               {"quantile([1, 2, 3, 4, 5], 0.1)", "1.4"},
               {"any([false, true | false, false], over: 2)", "[true, false]"},
               {"all([])", "true"},
               {"argmax([1, 9, 3])", "2"},
               {"argmax([1, 9 | 3, 4], over: 1)", "[2, 1]"},
               {"argmin([nan, 2, 1])", "3"},
               {"cumsum([1, 2 | 3, 4], over: 2)", "[1, 3 | 3, 7]"},
               {"cumsum([1 + 1i, 1])", "[1 + 1i, 2 + 1i]"},
               {"cumprod([2, 3, 4])", "[2, 6, 24]"},
               {"diff([1, 4 | 9, 16])", "[8, 12]"},
               {"diff([1, 4 | 9, 16], over: 2)", "[3 | 7]"},
               {"norm([3, 4i])", "5"},
               {"norm([1, 1 | 1, 1])", "2"}});
  check_errors({{"sum([1], over: 2)", "there is no axis 2 for `over`: this array has axis 1 only", ""},
                {"sum(5, over: 1)", "`over` names an axis, and a single number has none", ""},
                {"sum([1], over: \"x\")", "there is no axis \"x\": the axes of this array have no names",
                 "name it by its number: over: 1"},
                {"sum([\"a\"])", "sum: `a` must contain numbers, not text", ""},
                {"sum(none)", "sum: `a` must be an array, not none", ""},
                {"mean([])", "the mean of no elements is undefined", ""},
                {"max([1], [2], over: 1)", "max: `over` can be used with one array only", "max(a, over: 1)"},
                {"max([1i])", "max: `a` must contain real numbers, not complex numbers",
                 "real(z) or abs(z) makes them real"},
                {"quantile([1], 2)", "the fraction of a quantile must be from 0 to 1, not 2", ""},
                {"any([1, 0])", "any takes booleans, not float64", "any(x != 0)"},
                {"argmin([nan])", "argmin of nan is undefined", ""},
                {"cumsum(5)", "cumsum: `a` must be an array, not a single value", ""},
                {"sum([1], keep: 1)", "sum: `keep` must be true or false, not the number 1", ""}});
  CHECK(run("a = mean([1, nan])")
            .messages.find("warning: mean: the argument contains 1 nan among 2 elements") == 0);
  CHECK(run("a = sum([1, inf, -inf])").messages.empty());
}

TEST_CASE("whole values, records, dictionaries and texts") {
  check_calls({{"same([1, 2], [1, 2])", "true"},
               {"same([1, 2], [1, 2 | 3, 4])", "false"},
               {"same([1], [true])", "true"},
               {"same(\"a\", 1)", "false"},
               {"same({\"a\": 1, \"b\": 2}, {\"b\": 2, \"a\": 1})", "true"},
               {"same((a: 1), (a: 2))", "false"},
               {"near([1, 2], [1, 2 + 1e-10])", "true"},
               {"near(1, 1.1)", "false"},
               {"near(0, 1e-12, absolute: 1e-9)", "true"},
               {"near(inf, inf)", "true"},
               {"near(nan, nan)", "false"},
               {"bool([1, 0])", "[true, false]"},
               {"float64(true)", "1"},
               {"complex128([1])", "[1 + 0i]"},
               {"keys((b: 1, a: 2))", "[\"b\", \"a\"]"},
               {"keys({1: 2, 3: 4})", "[1, 3]"},
               {"keys({})", "[]"},
               {"has((a: 1), \"a\")", "true"},
               {"has({1: 2}, 1)", "true"},
               {"get({\"a\": 1}, \"a\")", "1"},
               {"same(get({\"a\": 1}, \"z\"), none)", "true"},
               {"text([1, 2])", "[1, 2]"},
               {"text(1/3, \".2f\")", "0.33"},
               {"number(\" 2.5 \")", "2.5"},
               {"characters(\"aλ\")", "[\"a\", \"λ\"]"},
               {"\"{1e300} {0.1 + 0.2} {-0.5} {true}\"", "1e300 0.30000000000000004 -0.5 true"},
               {"\"{[\"a\", \"b\"]} {(1, \"x\")} {none}\"", "[\"a\", \"b\"] (1, \"x\") none"},
               {"\"{1 + 2i:.1f} {255:x} {5:+d} {0.5:.1e}\"", "1.0 + 2.0i ff +5 5.0e-01"}});
}

TEST_CASE("mistakes with whole values") {
  check_errors(
      {{"bool([2])", "2 cannot become a boolean: only 0 and 1 can", "x != 0"},
       {"float64(1i)", "a complex number cannot become float64", "real(x) or abs(x) makes it real"},
       {"float64(\"1\")", "float64: `x` must contain numbers, not text", "number(\"1\")"},
       {"float64(\"a\")", "float64: `x` must contain numbers, not text", ""},
       {"with(3, a: 1)", "with: `r` must be a record, not the number 3", ""},
       {"keys([1])", "keys: `d` must be a dictionary, not a vector of 1 float64", ""},
       {"d = {[1]: 2}", "the keys of a dictionary must be texts or numbers, not a vector of 1 float64", ""},
       {"d = {nan: 2}", "the keys of a dictionary must be texts or numbers, not the number nan", ""},
       {"number(\"x\")", "number: `t` must be a number written as text, not \"x\"",
        "number(t, otherwise: nan) returns nan instead"},
       {"characters(5)", "characters: `t` must be a text, not the number 5", ""},
       {"near([1, 2], [1, 2, 3])", "shapes do not match: 2 - 3", ""},
       {"digits(99)", "digits: `n` must be an integer from 1 to 17, not 99", ""},
       {"f = sum\nf()", "sum requires `a` too", "sum(a, over: none, keep: false, skip_nan: false)"},
       {"f = sum\nf(nope: 2)", "sum has no argument `nope`", "it takes a, over, keep and skip_nan"},
       {"f = abs\nf(1, 2)", "abs takes 1 argument, and 2 are given", "abs(x)"}});
}

TEST_CASE("systems, interpolation and integrals from a script") {
  check_calls({{"solve([2, 0 | 0, 4], [2, 4])", "[1, 1]"},
               {"solve([2, 0 | 0, 4], identity(2))", "[0.5, 0 | 0, 0.25]"},
               {"interpolate([0, 1], [0, 10], at: [0.5, 1 | 0, 0.25])", "[5, 10 | 0, 2.5]"},
               {"interpolate([0, 1], [0, 10 | 10, 20], at: 0.5)", "[5, 15]"},
               {"interpolate([0, 1], [0, 10], at: 2, outside: \"clamp\")", "10"},
               {"interpolate([2, 0, 1], [4, 0, 1], at: 1.5, method: \"spline\")", "2.25"},
               {"densify([0, 1], [0, 2], count: 3).y", "[0, 1, 2]"},
               {"length(densify([0, 1], [0, 2]).x)", "50"},
               {"integrate_samples([0, 1, 2], [0, 1, 2])", "2"},
               {"integrate_samples([0, 1], [1, 2 | 3, 4], over: 2)", "[1.5, 3.5]"},
               {"interpolant([0, 1], [0, 1]).method", "linear"},
               {"interpolant([1, 0], [0, 1]).breaks", "[0, 1]"}});
  check_errors(
      {{"interpolate([0, 1], [0, 10], at: \"x\")", "interpolate: `at` must contain numbers, not text", ""},
       {"interpolate([0, 1], [0, 1, 2], at: 0)",
        "interpolate: `y` has shape 3 and `x` has 2 elements: y must have one value, or one row, for each x",
        ""},
       {"interpolate([0, 1, 2], zeros(2, 3), at: 0)",
        "interpolate: `y` has shape 2×3 and `x` has 3 elements: y must have one value, or one row, for each "
        "x",
        "y' transposes the matrix"},
       {"interpolate([0, 0], [0, 1], at: 0)", "duplicate x value: 0", "each abscissa must be distinct"},
       {"interpolate([0, 1], [0, 1], at: 5, outside: \"error\")",
        "the query 5 is outside the table, which covers 0 … 1", ""},
       {"interpolate([0, 1], [0, 1], at: 0, ends: \"natural\")",
        "interpolate: `ends` requires method: \"spline\"", "method: \"spline\", ends: \"natural\""},
       {"f = interpolant([0, 1], [0, 1])\nf(1, 2)", "an interpolant takes 1 argument, and 2 are given", ""},
       {"f = interpolant([0, 1], [0, 1])\nf(\"a\")", "an interpolant takes real numbers, not the text \"a\"",
        ""},
       {"f = interpolant([0, 1], [0, 1])\nf.integral(1)", "f.integral takes 2 arguments, and 1 is given", ""},
       {"interpolate([0, 1], [0, 1], at: 0, slopes: (1, 2))",
        "interpolate: `slopes` must be two numbers, and requires ends: \"clamped\"",
        "method: \"spline\", ends: \"clamped\", slopes: (0, 1)"},
       {"inverse(interpolant([0, 1, 2], [0, 1, 0.5]))",
        "the table is not monotonic: it changes direction between 1 and 2",
        "restrict the table to a monotonic part"},
       {"f = interpolant([0, 1], [0, 1])\nf.slope", "an interpolant has no field `slope`",
        "known: breaks, method, derivative and integral"},
       {"integrate_samples([0, 1], [1, 2, 3])",
        "x has shape 2 and axis 1 of y has length 3: they must be equal", ""},
       {"integrate_samples([0, 1], zeros(3, 2))",
        "x has shape 2 and axis 1 of y has length 3: they must be equal", "over: 2"},
       {"integrate_samples([0, 1, 0], [1, 2, 3])", "x is not monotonic: element 2 is 1, element 3 is 0", ""},
       {"densify([0, 1], [0, 1], count: 1)", "a polyline needs at least 2 points, not 1", ""},
       {"solve(zeros(2, 3), [1, 2])", "solve requires a square matrix, not 2×3",
        "use least_squares for an overdetermined system"},
       {"random_whole(3, 1)", "random integers need integer ends with low <= high, not 3 and 1", ""},
       {"seed(-1)", "seed: `n` must be an integer from 0, not -1", ""}});
  const auto swapped = run("interpolate([10, 20, 30], [1, 2, 3], at: [1, 2])");
  CHECK(swapped.ok);
  CHECK(swapped.messages.find("2 of 2 queries are outside the table, which covers 10 … 30, and became nan") !=
        std::string::npos);
  CHECK(swapped.messages.find("are the columns swapped?") != std::string::npos);
  CHECK(run("h = [1 / (i + j - 1) for i down 1..12, j across 1..12]\nx = solve(h, ones(12))")
            .messages.find("ill-conditioned: its condition number is about") != std::string::npos);
}

TEST_CASE("figures refuse what cannot be drawn") {
  const auto in_figure = [](const std::string& call) { return "figure(\"f\") {\n" + call + "\n}"; };
  check_errors(
      {{"figure(\"\") { line([1]) }", "figure: `name` must be a file name without extension, and is empty",
        ""},
       {"figure(\"a/b\") { line([1]) }",
        "figure: `name` must be a file name, and \"a/b\" contains characters that are not allowed in one",
        ""},
       {"figure(\"f\", width: 0) { line([1]) }",
        "figure: `width` must be a number above 0 and at most 2000, not 0", ""},
       {"figure(\"f\", formats: \"gif\") { line([1]) }",
        "figure: `formats` must be formats from \"png\", \"svg\", \"pdf\" or \"html\", not \"gif\"", ""},
       {"figure(\"f\", page_budget: 0) { line([1]) }",
        "figure: `page_budget` must be a number above 0 and at most 1000, not 0", ""},
       {"figure(\"f\", theme: \"nigth\") { line([1]) }",
        "figure: `theme` must be the name of a theme, not \"nigth\"",
        "there are quill, field, night, print and slides"},
       {in_figure("panel(x: 0.5, y: 0, width: 0.6, height: 1) { line([1, 2]) }"),
        "panel: `x` and `width` extend to 1.1, beyond the figure", ""},
       {in_figure("panel(x: 0.5, y: 0) { line([1, 2]) }"),
        "panel: `width` is missing: a panel placed by fractions needs all four",
        "panel(x: 0.6, y: 0.5, width: 0.4, height: 0.5)"},
       {in_figure("panel(1, 1, x: 0.5, y: 0, width: 0.5, height: 1) { line([1, 2]) }"),
        "panel: `row` and `column` place a panel in the grid, `x`, `y`, `width` and `height` by fractions of "
        "the figure; use one of them",
        ""},
       {in_figure("panel(1) { line([1, 2]) }"), "panel: `column` is missing",
        "panel(1, 2), or panel(x: 0.6, y: 0.5, width: 0.4, height: 0.5)"},
       {in_figure("scatter([1, 2], [1, 2], values: [1])"), "scatter: `values` has 1 elements for 2 points",
        ""},
       {in_figure("scatter([1, 2], [1, 2], values: [1, 2], color: 3)"),
        "scatter: `values` and `color` both give the colours of the points", "palette: \"kiln\""},
       {in_figure("scatter([1, 2], [1, 2 | 3, 4], values: [1, 2])"),
        "scatter: `values` requires one vector of points, not functions or several curves", ""},
       {in_figure("line([1, 2])\nz_axis(\"\", scale: \"cubic\")"),
        "z_axis: `scale` must be one of \"linear\", \"log\", \"signed_log\" or \"time\", not \"cubic\"", ""},
       {in_figure("line([1, 2])\nx_axis(limits: (\"soon\", \"2026-06-02\"))"),
        "x_axis: `limits` must be two numbers in parentheses, the lower one first, not a tuple",
        "limits: (0, 10)"},
       {in_figure("line([1, 2])\nx_axis(ticks: [\"2026-06-01\", \"june\"])"),
        "x_axis: `ticks` must be numbers or dates, and \"june\" is neither",
        "ticks: [\"2026-06-01\", \"2026-06-08\"]"},
       {"theme(\"night\", width: -3)", "theme: `width` must be a number above 0 and at most 2000, not -3",
        ""},
       {"figure(\"f\", rows: 99) { line([1]) }", "figure: `rows` must be an integer from 1 to 40, not 99",
        ""},
       {"figure(\"f\", link_x: \"column\") { line([1]) }",
        "figure: `link_x` must be one of \"rows\", \"columns\" or \"all\", not \"column\"",
        "did you mean \"columns\"?"},
       {"figure(\"f\", rows: 4, height: 20) { panel(1, 1) { line([1, 2]) } }",
        "the figure \"f\" of 160×20 mm is too small for its 1 panel", "figure(…, width: 160, height: 111)"},
       {"figure(\"f\", rows: 2) { panel(3, 1) { line([1]) } }",
        "panel(3, 1) is outside the 2×1 panels of this figure", "figure(\"f\", rows: 3, columns: 1)"},
       {"figure(\"f\", rows: 2) { panel(1, 1) { line([1]) }\n panel(1, 1) { line([1]) } }",
        "panel(1, 1) overlaps panel(1, 1)", ""},
       {"panel(1, 1) { line([1]) }", "a panel must be inside a figure",
        "figure(\"name\", rows: 2) { panel(1, 1) { … } }"},
       {"figure(\"f\") { figure(\"g\") { line([1]) } }", "a figure cannot be opened inside another one",
        "panel(row, column) { … } divides a figure"},
       {in_figure("line([1, 2], [1, 2, 3])"),
        "line: `x` has shape 2 and `y` has shape 3: there must be one y for each x", ""},
       {in_figure("line([1, 2, 3], zeros(2, 3))"),
        "line: `x` has shape 3 and `y` has shape 2×3: there must be one y for each x",
        "y' transposes the matrix"},
       {in_figure("line(5)"),
        "line: `x` must be a vector, or a matrix with one line for each column, not a single number", ""},
       {in_figure("line([1i])"), "line: `x` must contain real numbers, not complex numbers",
        "real(z) or abs(z) makes them real"},
       {in_figure("line(fn(x) = x)"), "line: `x` is a function and needs a range to be drawn over",
        "line(f, 0..10)"},
       {in_figure("line(fn(x) = [x], 0..1)"),
        "line: the function returned a vector of 1 float64; it must return a single number", ""},
       {in_figure("line(fn(x) = x, [2, 1])"),
        "line: `y` must be an increasing range to draw the function over", "0..2*pi"},
       {in_figure("heatmap([1, 2])"),
        "heatmap: `x` must be a matrix with a row for each y and a column for each x, not of shape 2", ""},
       {in_figure("contours(1..3, 1..2, [1, 2 | 3, 4 | 5, 6])"),
        "contours: `x` has shape 3 and the matrix 2 columns", "z' transposes the matrix"},
       {in_figure("surface([1, 3, 2], 1..2, zeros(2, 3))"), "surface: `x` must be monotonic",
        "sort the grid by its coordinates"},
       {in_figure("contours([1])"),
        "contours: `x` must be a matrix with a row for each y and a column for each x, not of shape 1", ""},
       {in_figure("contours([1, 2])"),
        "contours: `x` must be a matrix with a row for each y and a column for each x, not of shape 2", ""},
       {in_figure("error_bars([1, 2], [1, 2], [1, 2, 3])"),
        "error_bars: `error` must be a number, a vector of 2, or a 2×2 matrix of lengths down and up; not of "
        "shape 3",
        ""},
       {in_figure("palette(\"lagon\")"), "palette: `name` must be the name of a palette, not \"lagon\"",
        "did you mean \"lagoon\"?"},
       {in_figure("guide()"), "guide: `x` or `y` must give the position of the guide", "guide(x: 2.1)"},
       {in_figure("note(\"a\", at: 3)"), "note: `at` must be a point (x, y), not the number 3",
        "at: (2, 0.5)"},
       {in_figure("frame(\"upper\")"), "frame: `edges` must name edges, not \"upper\"",
        "frame(\"left bottom\"), frame(\"all\")"},
       {in_figure("y_axis(scale: \"log\", limits: (0, 1))"),
        "y_axis: `limits` must be above 0 on a logarithmic axis, not (0, 1)",
        "scale: \"signed_log\" shows 0 and negative numbers"},
       {in_figure("y_axis(format: \"q\")"), "y_axis: `format` must be a number format, not \"q\"",
        "format: \".2f\""},
       {in_figure("camera(tilt: 100)"), "camera: `tilt` must be an angle from -90 to 90 degrees", ""},
       {"extend(\"f\") { line([1]) }", "extend: `name` must be the name of a figure of this run, not \"f\"",
        "figure(\"name\") { … } draws one"},
       {in_figure("line([1, 2], dash: \"dots\")"),
        "line: `dash` must be one of solid, dashed, dotted or dash_dot, not \"dots\"", ""},
       {in_figure("line([1, 2], marker: \"star\")"),
        "line: `marker` must be one of none, disc, ring, square, diamond, triangle, cross or plus, not "
        "\"star\"",
        ""},
       {in_figure("line([1, 2], color: 9)"),
        "line: `color` must be a number of the colour cycle from 1 to 8, not 9", ""},
       {in_figure("line([1, 2], opacity: 2)"), "line: `opacity` must be a number from 0 to 1, not 2", ""},
       {in_figure("line([1, 2], label: [\"a\", \"b\"])"),
        "line: `label` must have one text for each of the 1 lines, not 2", ""},
       {in_figure("line([1, 2])\nx_axis(limits: (3, 1))"),
        "x_axis: `limits` must give the lower end first: 3 is not below 1",
        "reverse: true reverses the axis"},
       {"figure(\"f\") {\n  line([1, 2])\n  x_axis(limits: (nan, 2))\n}",
        "x_axis: `limits` must be two finite numbers, not nan", "limits: (0, 10)"},
       {"figure(\"f\") {\n  line([1, 2])\n  x_axis(limits: (\"2026-06-08\", \"2026-06-01\"))\n}",
        "x_axis: `limits` must give the lower end first: 2026-06-08 is not before 2026-06-01",
        "reverse: true reverses the axis"},
       {in_figure("line([1, 2])\nx_axis(limits: 3)"),
        "x_axis: `limits` must be two numbers in parentheses, the lower one first, not the number 3",
        "limits: (0, 10)"},
       {in_figure("line([1, 2])\nx_axis(ticks: [nan])"), "x_axis: `ticks` contains nan", ""},
       {in_figure("line([1, 2])\nx_axis(tick_labels: [\"a\"])"),
        "x_axis: `tick_labels` requires `ticks`, which gives the positions of the labels",
        "ticks: [0, pi], tick_labels: [\"0\", `$\\pi$`]"},
       {in_figure("line([1, 2])\ny_axis(ticks: [1, 2], tick_labels: [\"a\"])"),
        "y_axis: `tick_labels` must have one text for each of the 2 ticks, not 1", ""},
       {in_figure("line([1, 2])\nlegend(\"topleft\")"), "legend: `place` must be a position, not \"topleft\"",
        "did you mean \"top left\"?"},
       {in_figure("line([1, 2])\ngrid(\"z\")"),
        "grid: `lines` must be one of \"x y\", \"x\", \"y\" or \"none\", not \"z\"", ""},
       {"title(\"a\")", "no figure is open here", ""},
       {"legend()", "`legend` draws into a figure, and no figure is open here",
        "figure(\"name\") { legend(…) }"}});
}

TEST_CASE("printing") {
  CHECK(run("print(\"a\", 1, [1, 2])\nprint()\nprint([1, 2 | 3, 4])").printed ==
        "a 1   1  2\n\n  1  2\n  3  4\n");
  CHECK(run("x = 3\nshow(x)\nshow([1, 2])").printed == "x = 3\n[1, 2] : float64 2, 1, 2\n  1  2\n");
  CHECK(run("\"text\"\nnone\ntrue").printed == "\"text\" = \"text\"\nnone = none\ntrue = true\n");
  CHECK(run("fn f() { }\nf()").printed.empty());
  CHECK(run("section \"One\"\nprint(1)").printed == "\nOne\n1\n");
}

TEST_CASE("reductions over several axes are those over the axes laid together") {
  check_calls({
      {"near(norm([3, 4 | 1, 9], over: [1, 2]), norm([3, 4 | 1, 9]))", "true"},
      {"argmax([3, 4 | 1, 9], over: [1, 2])", "4"},
      {"argmin(reshape(1..24, 2, 3, 4), over: [1, 3])", "[1, 1, 1]"},
      {"argmax(reshape(1..24, 2, 3, 4), over: [3, 1])", "[8, 8, 8]"},
      {"near(norm(reshape(1..24, 2, 3, 4), over: [1, 3]), sqrt(sum(reshape(1..24, 2, 3, 4)^2, over: [1, "
       "3])))",
       "true"},
      {"shape(norm(reshape(1..24, 2, 3, 4), over: [1, 3], keep: true))", "[1, 3, 1]"},
      {"norm([inf, 1], over: 1)", "inf"},
      {"norm([inf, 1 | 3, 4], over: 2)", "[inf, 5]"},
      {"norm([1e200, 1e200 | 3, 4], over: 2) / [1e200, 1]", "[1.4142135623730951, 5]"},
  });
}

TEST_CASE("what has no spread has no shape, and a large offset does not change it") {
  check_calls({
      {"is_nan(skewness([0.1, 0.1, 0.1])) and is_nan(kurtosis([0.3, 0.3, 0.3, 0.3]))", "true"},
      {"std([0.1, 0.1, 0.1])", "0"},
      {"variance([0.7, 0.7, 0.7, 0.7, 0.7, 0.7])", "0"},
      {"is_nan(correlation([1, 0.1 | 2, 0.1 | 3, 0.1])[1, 2])", "true"},
      {"near(skewness(1e15 + [1, 2, 4, 7, 7]), skewness([1, 2, 4, 7, 7]), relative: 1e-6)", "true"},
      {"near(kurtosis(1e15 + [1, 2, 4, 7, 7]), kurtosis([1, 2, 4, 7, 7]), relative: 1e-6)", "true"},
      {"near(std(1e15 + [1, 2, 4, 7, 7]), std([1, 2, 4, 7, 7]), relative: 1e-6)", "true"},
  });
}

TEST_CASE("numbers near the ends of their range") {
  check_calls({
      {"exp(709.782712893) < inf and exp(709.7828) == inf", "true"},
      {"all(exp([709.782712893, 709.78, 1]) < inf)", "true"},
      {"exp([709.782712893, 709.78, 1])[1] == exp(709.782712893)", "true"},
      {"near(expm1(709.782712893), exp(709.782712893))", "true"},
      {"\"{0 % 0:.17g} {[0 % 0]:.1f}\"", "nan [nan]"},
      {"int64([3]) * 1e300", "[3e300]"},
      {"type(int64([3]) + 0.5 * 2)", "float64"},
      {"type(int64([3]) + 2 * 3 - 1)", "int64"},
      {"type(int64([3]) + 6 / 2)", "float64"},
      {"same(int64(9007199254740993), 9007199254740992)", "false"},
      {"same(int64([9007199254740992, 3]), [9007199254740992, 3])", "true"},
      {"same(int64(9223372036854775807), 9223372036854775808)", "false"},
      {"date_parts(timestamp(\"9892-03-08\")).year", "9892"},
      {"timestamp_text(start_of(timestamp(\"9999-12-31T05:00\"), \"month\"))", "9999-12-01"},
      {"random_whole(0, 2^53) <= 2^53", "true"},
  });
  check_errors({{"random_whole(0, 2^54)",
                 "random integers are limited to ±2^53, not from 0 to 1.8014398509481984e16", ""},
                {"date_parts(1e15)",
                 "date_parts: `t` contains 1000000000000000 seconds, which is outside the calendar", ""}});
}

TEST_CASE("a text of an integer that float64 does not hold is rounded with a warning") {
  const auto said = [](const std::string& text) { return run("x = number(" + text + ")\n").messages; };
  CHECK(said("\"9007199254740992\"").empty());
  CHECK(said("[\"1e300\", \"-9007199254740992\", \"000123\", \"1000000000000000000000\"]").empty());
  CHECK(said("\"9007199254740993\"")
            .find("number: 9007199254740993 has more digits than float64 holds and is rounded") !=
        std::string::npos);
  CHECK(said("[\"1\", \" -36028797018963969 \", \"36028797018963970\"]")
            .find("number: -36028797018963969 (the first of 2 such integers) has more digits") !=
        std::string::npos);
}
