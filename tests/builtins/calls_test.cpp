// What the built-ins give, and what they refuse, called as a script calls them.
#include <catch2/catch.hpp>
#include <cmath>

#include "engine/print.h"
#include "support/script.h"

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
      {{"zeros(-1)", "zeros: a size is a whole number from 0, not -1", ""},
       {"zeros(1.5)", "zeros: a size is a whole number from 0, not 1.5", ""},
       {"zeros(\"2\")", "zeros: a size is a number, not the text \"2\"", ""},
       {"zeros(10^6, 10^6)", "not enough memory: 1 000 000 000 000 elements of float64 need 8.0 TB", ""},
       {"zeros(2, type: \"flot64\")", "zeros: `type` is an element type, and \"flot64\" is not",
        "did you mean \"float64\"?"},
       {"zeros(2, type: \"int23\")", "zeros: `type` is an element type, and \"int23\" is not",
        "did you mean \"int32\"?"},
       {"zeros(2, type: \"text\")", "zeros: `type` is a type of numbers here",
        "filled(value, …) takes every kind of value"},
       {"identity(-2)", "identity: `n` is a size from 0, not -2", ""},
       {"identity(1.5)", "identity: `n` is a whole number, not 1.5", ""}});
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
               {"sort([3, 1, 2], falling: true)", "[3, 2, 1]"},
               {"sort([true, false])", "[false, true]"},
               {"outer([1, 2], [1, 1])", "[1, 1 | 2, 2]"}});
  check_errors(
      {{"reshape(1..6, auto, auto)", "only one size can be auto", ""},
       {"reshape(1..6, auto, 4)", "an array of 6 elements does not divide into the shape auto×4",
        "shapes that fit: 1×6, 2×3 or 3×2"},
       {"reshape(1..6, 2.5)", "reshape: a size is a whole number from 0 or auto, not the number 2.5", ""},
       {"auto()", "`auto` stands for a size that reshape works out", "reshape(a, 10, auto)"},
       {"join([1], [1, 2 | 3, 4])",
        "arrays of shapes 1 and 2×2 do not join along axis 1: the other extents differ", ""},
       {"join()", "join needs at least one array", ""},
       {"join(1, 2)", "join takes vectors, matrices and so on, not single values",
        "[a, b] makes a vector of them"},
       {"join([1], over: 2)", "`over: 2` names no axis: this array has axis 1 only", ""},
       {"stack([1], [1, 2])", "arrays of shapes 1 and 2 do not stack", ""},
       {"append([1, 2], [3, 4])", "append to an array of shape 2 takes a single element, not 2",
        "to lay two vectors end to end, write join(a, b)"},
       {"append([1, 2 | 3, 4], [5])", "append to an array of shape 2×2 takes a row of shape 2, not 1", ""},
       {"append([1, 2 | 3, 4], 5)",
        "append to an array of shape 2×2 takes a row of shape 2, not a single number", ""},
       {"append(1, 2)", "append adds to a vector or a matrix, not to a single number", ""},
       {"down(zeros(2, 2))", "down takes a vector or a matrix of one row or column, not 2×2", ""},
       {"sort([1i])", "elements of type complex128 have no order", "sort abs(z) or real(z)"},
       {"positions([1, 0])", "positions: `mask` is an array of truth values, not a vector of 2 float64",
        "positions(v > 2)"},
       {"reverse(3)", "reverse: `a` is an array with axes, not a single value", ""}});
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
                 "real(z), imag(z) or abs(z) gives a real number"},
                {"sqrt(none)", "sqrt takes numbers, not none", ""},
                {"atan2(1i, 1)", "atan2: `y` holds real numbers, not complex ones",
                 "real(z) or abs(z) makes them real"},
                {"pick([1, 0], 1, 2)", "pick takes a condition first, not float64", "pick(x > 0, a, b)"},
                {"pick([true, false], [1, 2, 3], 0)", "shapes do not match: 2 and 3", ""},
                {"clamp(\"a\", 0, 1)", "clamp: `x` holds numbers, not text", ""}});
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
  check_errors(
      {{"sum([1], over: 2)", "`over: 2` names no axis: this array has axis 1 only", ""},
       {"sum(5, over: 1)", "`over` names an axis, and a single number has none", ""},
       {"sum([1], over: \"x\")", "sum: `over` is a single number, not the text \"x\"", ""},
       {"sum([\"a\"])", "sum: `a` holds numbers, not text", ""},
       {"sum(none)", "sum: `a` is an array, not none", ""},
       {"mean([])", "the mean of no elements has no value", ""},
       {"max([1], [2], over: 1)", "max: `over` goes with one array only", "max(a, over: 1)"},
       {"max([1i])", "max: `a` holds real numbers, not complex ones", "real(z) or abs(z) makes them real"},
       {"quantile([1], 2)", "a quantile is asked for by a share from 0 to 1, not 2", ""},
       {"any([1, 0])", "any takes truth values, not float64", "any(x != 0)"},
       {"argmin([nan])", "argmin of no elements has no value", ""},
       {"cumsum(5)", "cumsum: `a` is an array with axes, not a single value", ""},
       {"sum([1], keep: 1)", "sum: `keep` is true or false, not the number 1", ""}});
  CHECK(run("a = mean([1, nan])").messages.find("warning: mean met 1 nan among 2 elements") == 0);
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
      {{"bool([2])", "2 cannot become a truth value: only 0 and 1 can", "x != 0"},
       {"float64(1i)", "a complex number cannot become float64", "real(x) or abs(x) makes it real"},
       {"float64(\"1\")", "float64: `x` holds numbers, not text", ""},
       {"with(3, a: 1)", "with: `r` is a record, not the number 3", ""},
       {"keys([1])", "keys: `d` is a dictionary, not a vector of 1 float64", ""},
       {"d = {[1]: 2}", "the keys of a dictionary are texts or numbers, not a vector of 1 float64", ""},
       {"d = {nan: 2}", "the keys of a dictionary are texts or numbers, not the number nan", ""},
       {"number(\"x\")", "number: `t` is a number written as text, and \"x\" is not", ""},
       {"characters(5)", "characters: `t` is a text, not the number 5", ""},
       {"near([1, 2], [1, 2, 3])", "shapes do not match: 2 - 3", ""},
       {"digits(99)", "digits: `n` is a whole number from 1 to 17, not 99", ""},
       {"f = sum\nf()", "sum needs `a` too", ""},
       {"f = sum\nf(nope: 2)", "sum has no argument `nope`", ""},
       {"f = abs\nf(1, 2)", "abs takes 1 argument, and 2 are given", ""}});
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
      {{"interpolate([0, 1], [0, 10], at: \"x\")", "interpolate: `at` holds numbers, not text", ""},
       {"interpolate([0, 1], [0, 1, 2], at: 0)",
        "interpolate: `y` has shape 3 and `x` has 2 elements: y has one value, or one row, for each x", ""},
       {"interpolate([0, 1, 2], zeros(2, 3), at: 0)",
        "interpolate: `y` has shape 2×3 and `x` has 3 elements: y has one value, or one row, for each x",
        "y' turns the matrix"},
       {"interpolate([0, 0], [0, 1], at: 0)", "the abscissa 0 stands twice in the table",
        "every abscissa has one value"},
       {"interpolate([0, 1], [0, 1], at: 5, outside: \"error\")",
        "the query 5 lies outside of the table, which covers 0 … 1", ""},
       {"interpolate([0, 1], [0, 1], at: 0, ends: \"natural\")",
        "interpolate: `ends` goes with the method \"spline\"", "method: \"spline\", ends: \"natural\""},
       {"f = interpolant([0, 1], [0, 1])\nf(1, 2)", "an interpolant takes 1 argument, and 2 are given", ""},
       {"f = interpolant([0, 1], [0, 1])\nf(\"a\")", "an interpolant takes real numbers, not the text \"a\"",
        ""},
       {"f = interpolant([0, 1], [0, 1])\nf.integral(1)", "f.integral takes 2 arguments, and 1 is given", ""},
       {"interpolate([0, 1], [0, 1], at: 0, slopes: (1, 2))",
        "interpolate: `slopes` is two numbers and goes with clamped ends",
        "method: \"spline\", ends: \"clamped\", slopes: (0, 1)"},
       {"inverse(interpolant([0, 1, 2], [0, 1, 0.5]))",
        "the table turns back between 1 and 2: its inverse is no function",
        "cut the table where it rises or falls all the way"},
       {"f = interpolant([0, 1], [0, 1])\nf.slope", "an interpolant has no part `slope`",
        "known: breaks, method, derivative and integral"},
       {"integrate_samples([0, 1], [1, 2, 3])", "x has shape 2 and axis 1 of y has length 3: they must agree",
        ""},
       {"integrate_samples([0, 1], zeros(3, 2))",
        "x has shape 2 and axis 1 of y has length 3: they must agree", "over: 2"},
       {"integrate_samples([0, 1, 0], [1, 2, 3])", "x does not run one way: element 2 is 1, element 3 is 0",
        ""},
       {"densify([0, 1], [0, 1], count: 1)", "a polyline has at least 2 points, not 1", ""},
       {"solve(zeros(2, 3), [1, 2])", "solve takes a square matrix, not 2×3",
        "an overdetermined system is a problem of least squares"},
       {"random_whole(3, 1)", "random whole numbers need whole ends with low <= high, not 3 and 1", ""},
       {"seed(-1)", "seed: `n` is a whole number from 0, not -1", ""}});
  const auto swapped = run("interpolate([10, 20, 30], [1, 2, 3], at: [1, 2])");
  CHECK(swapped.ok);
  CHECK(swapped.messages.find(
            "2 of 2 queries lie outside of the table, which covers 10 … 30, and became nan") !=
        std::string::npos);
  CHECK(swapped.messages.find("are the columns swapped?") != std::string::npos);
  CHECK(run("h = [1 / (i + j - 1) for i down 1..12, j across 1..12]\nx = solve(h, ones(12))")
            .messages.find("badly conditioned: its condition number is about") != std::string::npos);
}

TEST_CASE("figures refuse what cannot be drawn") {
  const auto in_figure = [](const std::string& call) { return "figure(\"f\") {\n" + call + "\n}"; };
  check_errors(
      {{"figure(\"\") { line([1]) }",
        "figure: `name` is the name of a file without its ending, and it is empty", ""},
       {"figure(\"a/b\") { line([1]) }",
        "figure: `name` is the name of a file, and \"a/b\" has characters that cannot stand in one", ""},
       {"figure(\"f\", width: 0) { line([1]) }", "figure: `width` is a number above 0 and up to 2000, not 0",
        ""},
       {"figure(\"f\", formats: \"gif\") { line([1]) }",
        "figure: `formats` lists \"png\", \"svg\" or \"pdf\", and \"gif\" is none of them", ""},
       {"figure(\"f\", formats: \"html\") { line([1]) }", "figure: `formats` \"html\" is not built yet", ""},
       {"figure(\"f\", theme: \"night\") { line([1]) }",
        "figure: `theme` is a theme, and \"night\" is not built", "there is quill"},
       {"figure(\"f\", rows: 99) { line([1]) }", "figure: `rows` is a whole number from 1 to 40, not 99", ""},
       {"figure(\"f\", link_x: \"column\") { line([1]) }",
        "figure: `link_x` is \"rows\", \"columns\", \"all\" or \"\", not \"column\"",
        "did you mean \"columns\"?"},
       {"figure(\"f\", rows: 4, height: 20) { panel(1, 1) { line([1, 2]) } }",
        "the figure \"f\" of 160×20 mm has no room for its 1 panel", "figure(…, width: 160, height: 111)"},
       {"figure(\"f\", rows: 2) { panel(3, 1) { line([1]) } }",
        "panel(3, 1) lies outside of the 2×1 panels of this figure", "figure(\"f\", rows: 3, columns: 1)"},
       {"figure(\"f\", rows: 2) { panel(1, 1) { line([1]) }\n panel(1, 1) { line([1]) } }",
        "panel(1, 1) lies over panel(1, 1)", ""},
       {"panel(1, 1) { line([1]) }", "a panel stands inside a figure",
        "figure(\"name\", rows: 2) { panel(1, 1) { … } }"},
       {"figure(\"f\") { figure(\"g\") { line([1]) } }", "a figure stands inside another one",
        "panel(row, column) { … } divides a figure"},
       {in_figure("line([1, 2], [1, 2, 3])"),
        "line: `x` has shape 2 and `y` has shape 3: there is one y for each x", ""},
       {in_figure("line([1, 2, 3], zeros(2, 3))"),
        "line: `x` has shape 3 and `y` has shape 2×3: there is one y for each x", "y' turns the matrix"},
       {in_figure("line(5)"),
        "line: `x` is a vector, or a matrix with one line for each column, not a single number", ""},
       {in_figure("line([1i])"), "line: `x` holds real numbers, not complex ones",
        "real(z) or abs(z) makes them real"},
       {in_figure("line(fn(x) = x, 0..1)"), "line: drawing a function without sampling it is not built yet",
        "x = 0..2*pi count 400, then line(x, f(x))"},
       {in_figure("line([1, 2], dash: \"dots\")"),
        "line: `dash` is one of solid, dashed, dotted or dash_dot, not \"dots\"", ""},
       {in_figure("line([1, 2], marker: \"star\")"),
        "line: `marker` is one of none, disc, ring, square, diamond, triangle, cross or plus, not \"star\"",
        ""},
       {in_figure("line([1, 2], color: 9)"),
        "line: `color` is a number of the colour cycle from 1 to 8, not 9", ""},
       {in_figure("line([1, 2], opacity: 2)"), "line: `opacity` is a number from 0 to 1, not 2", ""},
       {in_figure("line([1, 2], label: [\"a\", \"b\"])"), "line: `label` holds 2 texts for 1 lines", ""},
       {in_figure("line([1, 2])\nx_axis(limits: (3, 1))"),
        "x_axis: `limits` gives the lower end first, and 3 is not below 1", ""},
       {in_figure("line([1, 2])\nx_axis(limits: 3)"),
        "x_axis: `limits` is two numbers in parentheses, the lower one first, not the number 3",
        "limits: (0, 10)"},
       {in_figure("line([1, 2])\nx_axis(ticks: [nan])"), "x_axis: `ticks` holds nan", ""},
       {in_figure("line([1, 2])\nx_axis(tick_labels: [\"a\"])"),
        "x_axis: `tick_labels` goes with `ticks`, which says where the labels stand",
        "ticks: [0, pi], tick_labels: [\"0\", `$\\pi$`]"},
       {in_figure("line([1, 2])\ny_axis(ticks: [1, 2], tick_labels: [\"a\"])"),
        "y_axis: `tick_labels` holds 1 texts for 2 ticks", ""},
       {in_figure("line([1, 2])\nlegend(\"topleft\")"), "legend: `place` is a place, and \"topleft\" is none",
        "did you mean \"top left\"?"},
       {in_figure("line([1, 2])\ngrid(\"z\")"),
        "grid: `lines` is \"x\", \"y\", \"x y\" or \"none\", not \"z\"", ""},
       {"title(\"a\")", "there is no figure open here", ""},
       {"legend()", "`legend` draws into a figure, and none is open here",
        "figure(\"name\") { legend(…) }"}});
}

TEST_CASE("printing") {
  CHECK(run("print(\"a\", 1, [1, 2])\nprint()\nprint([1, 2 | 3, 4])").printed ==
        "a 1   1  2\n\n  1  2\n  3  4\n");
  CHECK(run("x = 3\nshow(x)\nshow([1, 2])").printed ==
        "x : float64 3\n3\n[1, 2] : float64 2, 1, 2\n  1  2\n");
  CHECK(run("\"text\"\nnone\ntrue").printed == "\"text\" = \"text\"\nnone = none\ntrue = true\n");
  CHECK(run("fn f() { }\nf()").printed.empty());
  CHECK(run("section \"One\"\nprint(1)").printed == "\nOne\n1\n");
}
