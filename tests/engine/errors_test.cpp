// Wrong programs and what they are reported: message, the marked part, hint.
#include <catch2/catch.hpp>

#include "array/buffer.h"
#include "base/memory.h"
#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

struct Row {
  std::string program, message, line_and_column, hint;
};

}  // namespace

TEST_CASE("mistakes at run time") {
  const std::vector<Row> rows = {
      {"a = zeros(6, 8) + zeros(1, 6)", "shapes do not match: 6×8 + 1×6", "line 1, column 5",
       "to add one number per row, write  zeros(6, 8) + down(zeros(1, 6))"},
      {"a = [1, 2, 3] + [1, 2]", "shapes do not match: 3 + 2", "line 1, column 5",
       "for all pairs, write  down([1, 2, 3]) + across([1, 2])"},
      {"A = zeros(2, 3)\nB = zeros(3, 2)\nC = A * B", "shapes do not match: 2×3 * 3×2", "line 3, column 5",
       "the matrix product is written  A *+ B"},
      {"A = zeros(2, 3)\nC = A *+ A", "shapes do not match: 2×3 *+ 2×3", "line 2, column 5",
       "the elementwise product is written  A * A"},
      {"A = zeros(2, 3)\nC = A *+ 2",
       "*+ multiplies vectors and matrices, and one operand is a single number", "line 2, column 5",
       "use * to multiply by a number"},
      {"a = [1, 2, 3]\nb = a[4]", "index 4 is out of range: valid indices are 1..3", "line 2, column 5", ""},
      {"a = [1, 2, 3]\nb = a[0]", "index 0 does not exist: indices start at 1 (valid indices are 1..3)",
       "line 2, column 5", ""},
      {"a = [1, 2, 3]\nb = a[-1]", "index -1 does not exist: valid indices are 1..3", "line 2, column 5",
       "to count from the end, write last"},
      {"a = [1, 2, 3]\nb = a[1.5]", "index 1.5 is not an integer", "line 2, column 5", ""},
      {"a = [1, 2, 3]\na[2..7] = 0", "index 7 is out of range: valid indices are 1..3", "line 2, column 1",
       ""},
      {"m = zeros(2, 3)\nb = m[2]", "1 subscript for an array of shape 2×3, which has 2 axes",
       "line 2, column 5", "m[2, ..] is row 2, m[.., 2] is column 2"},
      {"a = [1, 2, 3]\nb = a[[true, false]]", "a mask of shape 2 does not fit an array of shape 3",
       "line 2, column 5", "a mask must have the shape of the array"},
      {"a = [1, 2, 3]\na[1..2] = [1, 2, 3]", "values of shape 3 do not fit the selected shape 2",
       "line 2, column 1", ""},
      {"a = [1, 2, 3]\na[[1, 1]] += 1", "an index occurs more than once, so updates would be lost",
       "line 2, column 1", "bin_sums adds the values with the same index"},
      {"a = [1, 2]\na[1] = 2i", "a complex number cannot become float64", "line 2, column 1",
       "complex(a) makes an array that can contain complex numbers"},
      {"a = [1, 2]\na[1] = \"x\"", "the text \"x\" cannot be an element of an array of float64",
       "line 2, column 1", "list(…) can contain any value"},
      {"if [1, 2] > 1 { }", "a condition must be a single boolean, not a vector of 2 bool",
       "line 1, column 4", "any(…) or all(…) reduces it to one"},
      {"if 3 { }", "a condition must be a boolean, not the number 3", "line 1, column 4", "compare: x != 0"},
      {"t = (1, 2)\nt[1] = 5", "a tuple cannot be changed", "line 2, column 1", "make a new one: (a, b)"},
      {"r = (a: 1)\nb = r.c", "the record has no field `c`", "line 2, column 5", "known: a"},
      {"d = {\"x\": 1}\nb = d[\"y\"]", "the dictionary has no key \"y\"", "line 2, column 5", "known: \"x\""},
      {"a, b = [1, 2, 3]", "2 names for 3 parts", "line 1, column 1", "`_` discards a part"},
      {"a, b = 5", "the number 5 cannot be unpacked into 2 names", "line 1, column 1", ""},
      {"v = [1, 2]\nb = v'", "a vector has no second axis to transpose", "line 2, column 5",
       "across(v) is one row, down(v) one column; outer(a, b) multiplies all pairs"},
      {"a = 3\nb = a(2)", "the number 3 cannot be called", "line 2, column 5",
       "write a product with its sign: a * (b)"},
      {"fn f(x) = x\na = f(1, 2)", "f(x) takes 1 argument, and 2 are given", "line 2, column 5", ""},
      {"fn f(x, y) = x\na = f(1)", "f(x, y) requires `y` too", "line 2, column 5", ""},
      {"fn f(x) = x\na = f(z: 1)", "f(x) has no argument `z`", "line 2, column 5", "it takes x"},
      {"a = 1 + none", "`+` takes arrays, not none", "line 1, column 5",
       "none means that there is no value; did a function return nothing?"},
      {"a = \"x\" + \"y\"", "+ takes numbers, not text", "line 1, column 5",
       "join_text([\"lake \", \"Velm\"]) joins texts"},
      {"for k in 5 { }", "a loop cannot iterate over the number 5", "line 1, column 10",
       "for k in 1..5 { … }"},
      {"a = 1..10 by 0", "the step of a range cannot be 0", "line 1, column 5", ""},
      {"a = 1..nan", "an end or the step of this range is nan", "line 1, column 5", ""},
      {"a = [1, 2 | 3]", "rows of different lengths: row 1 has 2 columns, row 2 has 1", "line 1, column 5",
       ""},
      {"v = [1, 2]\na = [v, identity(2)]", "a vector of 2 cannot be combined with a matrix",
       "line 2, column 5", "down(v) makes it a column, across(v) a row"},
      {"a = \"{1.5:d}\"", "the format `d` requires an integer, not 1.5", "line 1, column 5",
       "round(x) rounds it; {x:.0f} shows no decimals"},
      {"a = \"{1:zz}\"", "`zz` is not a format for the number 1", "line 1, column 5",
       "{x:.2f} two decimals, {x:.3g} three significant digits, {x:8.1f} width eight, {n:d} an integer"},
      {"expect 1 + 1 == 3, \"sums\"", "check failed: sums", "line 1, column 1", ""},
      {"fn f(n) = f(n + 1)\na = f(1)", "the calls are nested too deeply: 10000 levels", "line 1, column 11",
       "does f call itself without end?"},
      {"a = zeros(10^6, 10^6, 10^6)", "an array of 1000000×1000000×1000000 elements is too large",
       "line 1, column 5", ""},
      {"a = x + 1\nx = 2", "`x` has no value yet", "line 1, column 5", ""},
      {"a = 5[1]", "a single number has no elements to select", "line 1, column 5", ""},
      {"a = \"text\"[1]", "a text is one value and has no elements", "line 1, column 5",
       "characters(t) makes an array of its characters"},
      {"a = [f(k) for k in 1..2]\nfn f(k) = zeros(k)", "`f` has no value yet", "line 1, column 6", ""},
      {"fn f(k) = zeros(k)\na = [f(k) for k in 1..2]", "results of shapes 1 and 2 cannot make one array",
       "line 2, column 5", "list(…) can contain values of different shapes"},
      {"reshape(zeros(6, 8), 5, 3)", "an array of 48 elements does not fit the shape 5×3, which holds 15",
       "line 1, column 1", "shapes that fit: 8×6, 12×4 or 6×8"},
      {"max([])", "max of no elements is undefined", "line 1, column 1", "check size(a) > 0 first"},
      {"interpolate([1, 2], [1, 2], at: 1, method: \"splin\")",
       "interpolate: `method` must be one of \"linear\", \"nearest\", \"previous\", \"spline\", "
       "\"monotone\", \"akima\" or \"polynomial\", not \"splin\"",
       "line 1, column 44", "did you mean \"spline\"?"},
      {"legend()", "`legend` draws into a figure, and no figure is open here", "line 1, column 1",
       "figure(\"name\") { legend(…) }"},
      {"figure(\"f\") { line([1, 2], color: \"nvy\") }",
       "line: `color` must be a CSS colour name, \"#rrggbb\" or a number of the colour cycle, not \"nvy\"",
       "line 1, column 35", "did you mean \"navy\"?"},
      {"figure(\"f\", rows: 2) { line([1, 2]) }",
       "`line` must be inside a panel: this figure has 2×1 of them", "line 1, column 24",
       "panel(1, 1) { line(…) }"},
      {"figure(\"f\") { }", "the figure \"f\" is empty", "line 1, column 1",
       "line(x, y) inside its block draws a line"},
      {"load(\"no.csv\")", "cannot read no.csv: no such file", "line 1, column 1", ""},
      {"load(\"a.xyz\")", "cannot read a.xyz: no such file", "line 1, column 1", ""},
      {"save(\"a.xyz\", 1)", "the format .xyz cannot be written", "line 1, column 1",
       "files with these extensions can be written: .csv, .json, .h5, .nc, .xlsx, .mtx, .png and .txt"},
      {"save(\"../a.csv\", [1])",
       "output files must be inside the output folder, and \"../a.csv\" is outside", "line 1, column 1",
       "use a relative name, or allow another folder with --also-write"},
      {"solve([1, 1 | 1, 1], [1, 2])",
       "the matrix is singular: its rank is below 2, so the system has no unique solution",
       "line 1, column 1", "use least_squares, or remove linearly dependent rows"},
      {"a = 5\nw = alias a", "only arrays can be aliased, and `a` is the number 5", "line 2, column 5", ""},
      {"a = [1, 2]\nw = alias a[1]", "an alias must select several elements", "line 2, column 5", "a[2..2]"},
      {"a = [1, 2]\na = alias a[1..2]", "a variable cannot be an alias of itself", "line 2, column 5", ""},
      {"a = [1, 2]\nw = alias a[a > 1]", "an alias selects by indices, not by a mask", "line 2, column 5",
       ""},
      {"a = [1, 2]\nw = alias a[2..9]", "index 9 is out of range: valid indices are 1..2", "line 2, column 5",
       ""},
      {"section \"a\"\nsection \"a\"", "duplicate section: \"a\"", "line 2, column 1",
       "section titles must be unique"},
  };
  for (const auto& row : rows) {
    CAPTURE(row.program);
    const auto messages = error_of(row.program);
    CHECK(messages.find("error: " + row.message + "\n  test.eq, " + row.line_and_column + "\n") !=
          std::string::npos);
    if (row.hint.empty())
      CHECK(messages.find("hint:") == std::string::npos);
    else
      CHECK(messages.find("\n  hint: " + row.hint + "\n") != std::string::npos);
    if (messages.find(row.message) == std::string::npos ||
        (!row.hint.empty() && messages.find(row.hint) == std::string::npos))
      UNSCOPED_INFO(messages);
  }
}

TEST_CASE("mistakes that are found before anything runs") {
  const std::vector<Row> rows = {
      {"print(1)\na = dept", "unknown name `dept`", "line 2, column 5", ""},
      {"a = summ([1])", "unknown name `summ`", "line 1, column 5", "did you mean sum?"},
      {"a = sum([1], ovr: 1)", "sum has no argument `ovr`", "line 1, column 14", "did you mean over:?"},
      {"a = sum()", "sum requires `a` too", "line 1, column 5",
       "sum(a, over: none, keep: false, skip_nan: false)"},
      {"a = abs(1, 2)", "abs takes 1 argument, and 2 are given", "line 1, column 5", "abs(x)"},
      {"a = sum([1], a: [2])", "the argument `a` of sum is given twice, by position and by name",
       "line 1, column 14", ""},
      {"k = 1\nfn f() {\n k[1] = 2\n}",
       "`k` is a variable outside this function, which can read it but not change it", "line 3, column 2",
       "make it a parameter and return the changed one, or copy it first: mine = k"},
      {"pi(2)", "`pi` is a constant and cannot be called", "line 1, column 1", ""},
      {"a = [1, 2]\nw = (alias a, 1)", "an alias can only be assigned to a variable", "line 2, column 6",
       "w = alias a[1..2]; a plain copy shares nothing"},
      {"a = 1\na[..., ..., 1]", "`...` can occur once in an index", "line 2, column 8", ""},
  };
  for (const auto& row : rows) {
    CAPTURE(row.program);
    const auto ran = run(row.program);
    CHECK_FALSE(ran.ok);
    CHECK(ran.printed.empty());
    CHECK(ran.messages.find("error: " + row.message + "\n  test.eq, " + row.line_and_column + "\n") !=
          std::string::npos);
    if (!row.hint.empty()) CHECK(ran.messages.find("\n  hint: " + row.hint + "\n") != std::string::npos);
    if (ran.messages.find(row.message) == std::string::npos) UNSCOPED_INFO(ran.messages);
  }
}

TEST_CASE("the whole message of a mismatch") {
  CHECK(error_of("readings = zeros(6, 8)\noffsets = zeros(1, 6)\n    total = readings + offsets") ==
        "error: shapes do not match: 6×8 + 1×6\n"
        "  test.eq, line 3, column 13\n"
        "      total = readings + offsets\n"
        "              ‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾‾\n"
        "      readings   6 × 8\n"
        "      offsets    1 × 6     axis 2: 8 against 6\n"
        "  hint: to add one number per row, write  readings + down(offsets)\n");
}

TEST_CASE("memory that does not suffice is reported where it was wanted, on the short ways too") {
  for (const auto& [text, place] : std::vector<std::pair<std::string, std::string>>{
           {"a = zeros(1000000)\nb = 1\nc = a + a\n", "line 3, column 5"},
           {"a = zeros(1000000)\nb = 1\nc = -a\n", "line 3, column 5"},
           {"fn f(a) {\n  b = 1\n  return a * 2\n}\na = zeros(1000000)\nc = f(a)\n", "line 3, column 10"},
           {"a = zeros(1000000)\nfor k in [1, 2] {\n  if k == 2 {\n    d = a / 2\n  }\n}\n",
            "line 4, column 9"}}) {
    set_memory_ceiling(12000000);
    const auto ran = run(text);
    set_memory_ceiling(0);
    CAPTURE(text, ran.messages);
    CHECK(ran.messages.find("not enough memory: 1 000 000 elements") != std::string::npos);
    CHECK(ran.messages.find("\n  test.eq, " + place + "\n") != std::string::npos);
  }
}

TEST_CASE("calls around an error are listed") {
  const auto messages =
      error_of("fn inner(x) = x[5]\nfn around(x) {\n  y = inner(x)\n  return y\n}\naround([1, 2])");
  CHECK(messages ==
        "error: index 5 is out of range: valid indices are 1..2\n  test.eq, line 1, column 15\n      fn "
        "inner(x) = x[5]\n                    ‾‾‾‾\n  in inner, called from test.eq, line 3, column 7\n  in "
        "around, called from test.eq, line 6, column 1\n");
}

TEST_CASE("an expectation shows both sides") {
  CHECK(error_of("a = 2\nexpect a + 1 > 5").find("      a + 1 = 3\n") != std::string::npos);
}

TEST_CASE("several mistakes are reported together") {
  const auto messages = error_of("a = dept\nb = sum(ovr: 1)\nc = nosuch(1)\n");
  CHECK(messages.find("line 1") != std::string::npos);
  CHECK(messages.find("line 3") != std::string::npos);
}

TEST_CASE("what used to mislead is reported as it is") {
  std::string deep;
  for (int k = 0; k < 100; ++k) deep += "if true {\n";
  deep += "x = 1\n";
  for (int k = 0; k < 100; ++k) deep += "}\n";
  const auto nested = error_of(deep);
  CHECK(nested.find("error: blocks are nested too deeply\n") == 0);
  CHECK(nested.find("is not closed") == std::string::npos);
  CHECK(error_of("a = [1, 2]\nb = a[new]").find("0 subscripts for an array of shape 2, which has 1 axis\n") !=
        std::string::npos);
  CHECK(
      error_of("vandermonde(1..3, 1e6)").find("`columns` must be an integer from 0 to 100000, not 1000000") !=
      std::string::npos);
  CHECK(error_of("correlation([1, 2 | 3, nan | 5, 6])").find("row 2, column 2") != std::string::npos);
  // Hints stand only where what they say can be done.
  CHECK(run("log1p(-2)").messages.find("hint") == std::string::npos);
  CHECK(run("log(-2)").messages.find("hint: use log(complex(x))") != std::string::npos);
  const auto constant = run("pi = 3");
  CHECK(constant.messages.find("`pi` is also a constant") != std::string::npos);
  CHECK(constant.messages.find("hint") == std::string::npos);
  // A very long line is cut around the place.
  std::string items;
  for (int k = 0; k < 20000; ++k) items += std::to_string(k) + ", ";
  const auto told = error_of("x = [" + items + "unknown_name, " + items + "1]");
  CHECK(told.size() < 1500);
  CHECK(told.find("19999, unknown_name, 0, 1") != std::string::npos);
}
