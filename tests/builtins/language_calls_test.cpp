// Shapes, order, sets, functions and texts, called as a script calls them.
#include <catch2/catch.hpp>

#include "support/script.h"
#include "value/print.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("arrays like others") {
  check_calls({{"zeros(like: int32([1, 2]))", "[0, 0]"},
               {"type(zeros(like: int32([1, 2])))", "int32"},
               {"type(zeros(like: int32([1, 2]), type: \"float32\"))", "float32"},
               {"shape(filled(\"a\", like: zeros(2, 3)))", "[2, 3]"},
               {"type(filled(uint8(3), 2))", "uint8"},
               {"shape(random(like: zeros(2, 3)))", "[2, 3]"},
               {"type(random_whole(1, 6, 3))", "int64"},
               {"type(identity(2, type: \"uint8\"))", "uint8"}});
  check_errors(
      {{"zeros(2, like: [1])", "zeros: `like` gives the shape and cannot be combined with sizes", ""},
       {"zeros(like: none)", "zeros: `like` must be an array, not none", ""}});
}

TEST_CASE("laying arrays out anew") {
  check_calls({{"repeat(3, 4)", "[3, 3, 3, 3]"},
               {"repeat([1, 2 | 3, 4], 2, over: 2)", "[1, 2, 1, 2 | 3, 4, 3, 4]"},
               {"shape(repeat([1, 2], 0))", "[0]"},
               {"rotate(1..5, -1)", "[2, 3, 4, 5, 1]"},
               {"rotate(1..5, 12)", "[4, 5, 1, 2, 3]"},
               {"rotate([1, 2 | 3, 4], 1, over: 2)", "[2, 1 | 4, 3]"},
               {"rotate([], 3)", "[]"},
               {"split(1..6, 3)[2]", "[3, 4]"},
               {"split([1, 2, 3 | 4, 5, 6], [1, 2], over: 2)[2]", "[2, 3 | 5, 6]"},
               {"length(split(1..6, [0, 6, 0]))", "3"},
               {"permute_axes([1, 2 | 3, 4], [2, 1])", "[1, 3 | 2, 4]"},
               {"adjoint([1, 2 | 3, 4])", "[1, 3 | 2, 4]"},
               {"append(uint8([1]), 300 - 50)", "[1, 250]"},
               {"append([\"a\"], \"b\")", "[\"a\", \"b\"]"},
               {"append(list(1), [2, 3])", "[1, [2, 3]]"}});
  check_errors(
      {{"split(1..5, 2)", "split: `parts` is 2, and 5 elements cannot be split into that many equal parts",
        "a vector gives the length of each part: split(a, [2, 3])"},
       {"split(1..5, [2, 2])", "split: `parts` contains lengths with the sum 4, and the axis has 5 elements",
        ""},
       {"permute_axes(zeros(2, 3), [1, 1])", "permute_axes: `order` must name each of the axes 1..2 once",
        "permute_axes(a, [3, 1, 2])"},
       {"adjoint([1, 2])", "adjoint: `a` must be a matrix, or an array with more axes",
        "conj(v) conjugates a vector; across(v) and down(v) make it a matrix"},
       {"repeat([1], -1)", "repeat: `n` must be an integer from 0, not -1", ""},
       {"rotate(5, 1)", "rotate: `a` must be an array, not a single value", ""},
       {"append(int32([1]), 2.5)", "2.5 cannot become int32: it is not an integer",
        "round(x) makes it whole; float64(a) makes an array that holds fractions"},
       {"append(5, 1)", "append adds to a vector or a matrix, not to a single number", ""}});
}

TEST_CASE("order and sets") {
  check_calls({{"sort([3, 1 | 2, 4])", "[2, 1 | 3, 4]"},
               {"sort([3, 1 | 2, 4], over: 2)", "[1, 3 | 2, 4]"},
               {"sort([true, false])", "[false, true]"},
               {"type(sort(uint8([3, 1])))", "uint8"},
               {"sort_order([30, 10, 20], descending: true)", "[1, 3, 2]"},
               {"unique([2, 1 | 1, 2])", "[1, 2]"},
               {"unique([\"b\", \"a\", \"b\"])", "[\"a\", \"b\"]"},
               {"locate(0..10 by 5, 7)", "2"},
               {"member(3, [1, 3])", "true"},
               {"member([\"a\", \"z\"], [\"a\"])", "[true, false]"},
               {"union([], [2, 1])", "[1, 2]"},
               {"intersection([1, 2], [])", "[]"},
               {"bin_sums([2, 2], 0.5, size: 3)", "[0, 1, 0]"},
               {"bin_sums([])", "[]"},
               {"positions([false, true])", "[2]"},
               {"positions([])", "[]"}});
  check_errors(
      {{"sort(list(1, 2))", "elements of type any cannot be ordered", ""},
       {"member([1], [\"a\"]) and locate([3, 1], 2) == 1", "the elements are not in increasing order",
        "sort(v) sorts them"},
       {"bin_sums([0])", "bin_sums: `positions` must contain indices from 1, not 0", ""},
       {"bin_sums([1, 2], [1])",
        "bin_sums: `values` must have the shape of the indices, 2, or be a single number; not 1", ""},
       {"bin_sums([3], size: 2)", "index 3 is outside 1..2", ""}});
}

TEST_CASE("functions applied step by step") {
  check_calls({{"scan(fn(a, b) = a + b, 1..4)", "[1, 3, 6, 10]"},
               {"scan(fn(a, b) = a + b, 1..3, start: 10)", "[11, 13, 16]"},
               {"scan(fn(a, b) = a + b, [1, 2 | 3, 4])", "[1, 2 | 4, 6]"},
               {"scan(max, [1, 3, 2])", "[1, 3, 3]"},
               {"reduce(fn(a, b) = a - b, [10, 2, 3])", "5"},
               {"reduce(fn(a, b) = \"{a}{b}\", [\"x\", \"y\"])", "xy"},
               {"reduce(max, [], start: 7)", "7"}});
}

TEST_CASE("zip goes through arrays side by side") {
  CHECK(number_of("reduce(fn(s, p) = s + p[1] * p[2], zip([1, 2], [3, 4]), start: 0)") == 11);
  const auto ran = run("for a, b, c in zip([1, 2], [\"x\", \"y\"], [5, 6 | 7, 8]) { print(a, b, c[2]) }");
  CHECK(ran.printed == "1 x 6\n2 y 8\n");
  check_errors(
      {{"zip([1], [1, 2])", "zip requires arrays of equal length, and these have 1 and 2 elements", ""},
       {"zip(5)", "zip: elements must come from a vector, a matrix or a tuple, not from the number 5", ""},
       {"reduce(max, [])", "reduce: `v` has no elements, and no `start` is given as the result",
        "reduce(f, v, start: 0)"},
       {"scan(5, [1])", "scan: `f` must be a function, not the number 5", "fn(x) = x^2"},
       {"scan(fn(a, b) = [a, b], [1, 2])", "results of shapes single and 2 cannot make one array",
        "list(…) can contain values of different shapes"}});
}

TEST_CASE("texts") {
  check_calls({{"upper([\"a\", \"bß\"])", "[\"A\", \"Bẞ\"]"},
               {"lower(\"ΛÄ\")", "λä"},
               {"trim(\"\\t a b\\n\")", "a b"},
               {"split_text(\"  a  b \")", "[\"a\", \"b\"]"},
               {"split_text(\"\")", "[]"},
               {"split_text(\"a--b\", \"--\")", "[\"a\", \"b\"]"},
               {"join_text([])", ""},
               {"replace_text([\"aa\", \"b\"], \"a\", \"aa\")", "[\"aaaa\", \"b\"]"},
               {"contains(\"thermistor\", \"mist\")", "true"},
               {"starts_with([\"a1\", \"b\"], \"a\")", "[true, false]"},
               {"number([\"1\", \"-2.5\"])", "[1, -2.5]"},
               {"join_text(reverse(characters(\"süß\")))", "ßüs"}});
  check_errors(
      {{"upper(3)", "upper: `t` must be a text or an array of texts, not the number 3", ""},
       {"split_text(\"a\", \"\")", "split_text: `by` must be a text of at least one character",
        "characters(t) splits a text into characters"},
       {"join_text([1, 2])", "join_text: `texts` must be a vector of texts, not a vector of 2 float64", ""},
       {"number(\"12 m\")", "number: `t` must be a number written as text, not \"12 m\"",
        "number(t, otherwise: nan) returns nan instead"}});
}

TEST_CASE("norms along axes do not overflow") {
  check_calls({{"norm([3, 4 | 5, 12], over: 2)", "[5, 13]"},
               {"norm([3, 4 | 5, 12], over: 2, keep: true)", "[5 | 13]"},
               {"near(norm([3e200, 4e200 | 0, 0], over: 2), [5e200, 0])", "true"},
               {"norm([3, nan, 4], skip_nan: true)", "5"},
               {"norm([3i, 4])", "5"}});
}

TEST_CASE("text files are read beside the script and written below the output folder") {
  MemoryHost host;
  host.files["lake/notes.txt"] = "north\nsouth";
  SessionOptions options;
  options.script_folder = "lake";
  TestSession session(host, options);
  CHECK(session.run("lake/a.eq", "write_text(\"lines.txt\", [\"inlet\", \"deep\"])"));
  CHECK(host.files["out/lines.txt"] == "inlet\ndeep\n");
  CHECK_FALSE(session.run("lake/a.eq", "write_text(\"lines.txt\", [1, 2])"));
  CHECK(host.messages.find("must be a text or a vector of texts, not a vector of 2 float64") !=
        std::string::npos);
  host.messages.clear();
  CHECK(session.run("lake/a.eq", "t = read_text(\"notes.txt\")\nwrite_text(\"up.txt\", upper(t))"));
  CHECK(host.files.at("out/up.txt") == "NORTH\nSOUTH");
  host.files["lake/bad.txt"] = "a\xff";
  CHECK_FALSE(session.run("lake/a.eq", "read_text(\"bad.txt\")"));
  CHECK(host.messages.find("names a file that is not UTF-8 text: invalid byte 2") != std::string::npos);
}

TEST_CASE("dates are numbers that can be calculated with, and are shown as dates") {
  check_calls({{"timestamp(\"1970-01-02\")", "1970-01-02"},
               {"float64(timestamp(\"1970-01-02\"))", "86400"},
               {"timestamp([\"2026-06-01\", \"2026-06-02\"])[2] - timestamp(\"2026-06-01\")", "86400"},
               {"timestamp_text(0)", "1970-01-01"},
               {"timestamp_text([0, 90])", "[\"1970-01-01\", \"1970-01-01T00:01:30\"]"}});
  const auto shown = run("t = timestamp([\"2026-06-01\", \"2026-06-02T06:00\"])\nt\nshow(t[1..1])");
  CHECK(shown.printed.find("2026-06-02T06:00") != std::string::npos);
  CHECK(shown.printed.find("1780") == std::string::npos);
  CHECK(card("t", value_of("result = timestamp([\"2026-06-01\", \"2026-06-02T06:00\"])")) ==
        "t : float64 2, 2026-06-01 … 2026-06-02T06:00");
  check_errors({{"timestamp(\"2026-02-30\")", "timestamp: `t` must be a calendar date, not \"2026-02-30\"",
                 "timestamp(\"2026-06-01T12:30\")"},
                {"fft(ones(2, 2), over: [1, 1])", "fft: `over` names axis 1 twice", ""}});
}

TEST_CASE("transforms over several axes are those over each in turn") {
  const auto r =
      run("seed(3)\na = random(3, 4, 5)\nexpect near(fft(a, over: [1, 3]), fft(fft(a, over: 3), over: 1), "
          "absolute: 1e-12)\n"
          "expect near(ifft(fft(a, over: 1..3), over: 1..3), a, absolute: 1e-12)\n"
          "expect near(fft(a, over: [2, 3]), fft2(a), absolute: 1e-12)\n");
  CAPTURE(r.messages);
  CHECK(r.ok);
}

TEST_CASE("what went wrong without a word is reported or right") {
  // A text input has its description, and texts beside each other are still one.
  CHECK(run("given name = \"buoy 3\" \"the station\"\nprint(name)").printed == "buoy 3\n");
  CHECK(run("given name = \"buoy \" \"3\" \"the station\"\nprint(name)").printed == "buoy 3\n");
  CHECK(run("given names = [\"a\" \"b\", \"c\"] \"stations\"\nprint(names)").printed.find("ab") !=
        std::string::npos);
  CHECK(run("print(\"a\" \"b\")").printed == "ab\n");
  // A negative end is no position; a computed empty range is empty.
  for (const char* end : {"v[2..-1]", "v[..-1]", "v[1..-2]"}) {
    const auto message = error_of(std::string("v = [1, 2, 3]\n") + end);
    CHECK(message.find("does not exist: valid indices are 1..3") != std::string::npos);
    CHECK(message.find("to count from the end, write last") != std::string::npos);
  }
  CHECK(run("v = [1, 2, 3]\nn = 1\nprint(length(v[1..n - 1]), v[3..1 by -1])").printed == "0   3  2  1\n");
  // Arithmetic beside a range.
  const auto warns = [](const std::string& text) {
    return run("n = 3\nv = 1..9\n" + text).messages.find("binds less tightly") != std::string::npos;
  };
  for (const char* loose : {"x = 0.1 * 0..10", "x = n * 0..10", "x = 0..10 * 0.1", "x = 0..10 + 2"}) {
    CAPTURE(loose);
    CHECK(warns(loose));
  }
  for (const char* meant : {"x = v[n..n + 2]", "for k in 1..n + 1 { x = k }", "x = 1..2 * n", "x = n + 1..9",
                            "x = 0.1 * (0..10)"}) {
    CAPTURE(meant);
    CHECK_FALSE(warns(meant));
  }
  // nan that is left out.
  check_calls({{"max([1, nan], [nan, 2], skip_nan: true)", "[1, 2]"},
               {"min([1, nan, 3], [2, 5, nan], skip_nan: true)", "[1, 5, 3]"},
               {"max(1, nan, skip_nan: true)", "1"},
               {"sum([nan, nan], skip_nan: true)", "0"},
               {"cbrt([27, -8, 1000, 1e300, 0.001])", "[3, -2, 10, 1e100, 0.1]"},
               {"is_nan(locate([1, 2, 3], nan))", "true"},
               {"locate([1, 2, 3], 2)", "2"}});
  for (const char* f : {"mean", "median", "max", "min", "std"}) {
    const auto r =
        run(std::string("m = [1, 2 | nan, nan]\nprint(is_nan(") + f + "(m, over: 2, skip_nan: true)))");
    CAPTURE(f);
    CHECK(r.printed == "  false   true\n");
    CHECK(r.messages.find("are undefined") != std::string::npos);
    CHECK(r.messages.find("skip_nan: true leaves") == std::string::npos);
  }
  CHECK(run("std([1, nan], skip_nan: true)")
            .messages.find("the result of std is undefined: fewer than two numbers remain") !=
        std::string::npos);
  check_errors({{"gradient([1, 9, 4, 2], [0, 1, 2, 3])",
                 "gradient: `x` must be monotonic, but changes direction at element 3",
                 "abscissae come first: gradient(x, y)"}});
  // What is added to an alias is added to its owner.
  CHECK(run("a = [1, 2, 3, 4]\nw = alias a\nw += 1\nw *= 2\nprint(a, w)").printed ==
        "   4   6   8  10    4   6   8  10\n");
  CHECK(run("a = [1, 2, 3, 4]\nw = alias a[2..3]\nw -= [1, 2]\nprint(a)\nw = w + 1\nprint(a)").printed ==
        "  1  1  1  4\n  1  1  1  4\n");
  CHECK_FALSE(run("a = [1, 2, 3, 4]\nw = alias a[2..3]\nw += [1, 2, 3]").ok);
}
