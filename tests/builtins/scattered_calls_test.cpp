// Grids, scattered points and neighbours as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill::test;

TEST_CASE("grids and radial functions broadcast their queries") {
  const std::string grid = "x = 0..4\ny = 0..2\nf = grid_interpolant(x, y, across(x) + 10 * down(y))\n";
  check_calls({{"shape(grid_interpolant(0..4, 0..2, zeros(3, 5))(across(0..3), down([1, 2])))", "[2, 4]"},
               {"grid_interpolant(0..4, 0..2, ones(3, 5)).method", "linear"},
               {"grid_interpolant(0..1, 0..2, 0..1, ones(2, 3, 2))(0.5, [0, 1], 0.5)", "[1, 1]"},
               {"nearest_neighbors([1, 5, 9], at: 6).positions", "2"},
               {"nearest_neighbors([1, 5, 9], at: [6, 0]).distances", "[1, 1]"},
               {"nearest_neighbors([1, 5, 9], at: [6, 0], count: 2).positions", "[2, 3 | 1, 2]"},
               {"nearest_neighbors([0, 0 | 3, 4], at: [3, 3 | 0, 1]).positions", "[2, 1]"},
               {"radial_interpolant([0, 1], [2, 4], kernel: \"linear\")(0.5)", "3"}});
  CHECK(run(grid + "print(f(2.5, [0.5, 1.5]))").printed == "   7.5  17.5\n");
  CHECK(run(grid + "f").printed == "f = grid interpolant (linear) of 5×3 points, 0 … 4, 0 … 2\n");
  CHECK(run(grid + "print(f.breaks)").ok);
  const auto far = run(grid + "f([1, 9], 1)");
  CHECK(far.ok);
  CHECK(far.messages.find("1 of 2 queries are outside the grid and became nan") != std::string::npos);
  CHECK(run(grid + "f(1, 100)").messages.find("are the coordinates swapped?") != std::string::npos);
  CHECK(run("seed(1)\nx = random(30)\ny = random(30)\nf = radial_interpolant(x, y, x + y, smoothing: 0.1)\n"
            "print(near(f.residual, x + y - f(x, y)), max(abs(f.residual)) > 0, f.kernel, f.radius > 0)")
            .printed == "true true thin_plate true\n");
}

TEST_CASE("grids and scattered points say what does not fit") {
  check_errors(
      {{"grid_interpolant(0..4, 0..2, zeros(5, 3))",
        "the values have shape 5×3 and the coordinates require 3×5: x varies along the last axis",
        "the transpose of the values fits: z'"},
       {"grid_interpolant(0..4, 0..2, zeros(3, 5), method: \"bicubic\")",
        "grid_interpolant: `method` must be one of \"linear\", \"cubic\" or \"nearest\", not \"bicubic\"",
        "did you mean \"cubic\"?"},
       {"grid_interpolant(0..4, 0..2, zeros(3, 5))(1)",
        "a grid interpolant takes 2 arguments, and 1 is given", ""},
       {"grid_interpolant(0..4, 0..2, zeros(3, 5))(1, 2i)",
        "a grid interpolant takes real numbers, not the complex128 0 + 2i", ""},
       {"grid_interpolant(0..4, 0..2, zeros(3, 5))([1, 2], [1, 2, 3])", "shapes do not match: 2 and 3", ""},
       {"radial_interpolant([1, 2])",
        "radial_interpolant: `coordinates` and values: at least one vector of coordinates and the vector of "
        "values are required",
        "radial_interpolant(x, y, values)"},
       {"radial_interpolant([1, 2], [1, 2, 3])",
        "radial_interpolant: `coordinates` and values must have equal length, not 2 and 3", ""},
       {"radial_interpolant([1, 2], \"a\")",
        "radial_interpolant: `coordinates` and values must be vectors of real numbers, not the text \"a\"",
        ""},
       {"radial_interpolant([1, 1], [1, 2])", "points 1 and 2 coincide", "use their mean, or smoothing: 0.1"},
       {"radial_interpolant([1, nan], [1, 2])", "the array of points contains nan, the first at element 2",
        "is_finite(a) shows which elements are finite"},
       {"radial_interpolant([], [])", "the kernel \"thin_plate\" requires at least 2 points, and there are 0",
        ""},
       {"radial_interpolant([1, 2], [1, 2], radius: 0)",
        "radial_interpolant: `radius` must be a number above 0", ""},
       {"nearest_neighbors([0, 0 | 3, 4], at: 3)",
        "nearest_neighbors: `at` must have 2 coordinates along its last axis, like the points; not shape "
        "single",
        ""},
       {"nearest_neighbors([1, 2], at: 1, count: 5)", "5 neighbours are requested, and there are 2 points",
        ""}});
}

TEST_CASE("interpolation keeps the labels of a file and notices units that differ") {
  const auto with = [](const std::string& text) {
    quill::MemoryHost host;
    host.files["gauge.csv"] = "level (m),flow (m3/s)\n0,0\n1,10\n2,40\n";
    host.files["asked.csv"] = "level (cm)\n50\n150\n";
    TestSession session(host, {});
    CHECK(session.run("test.eq", text));
    return host.printed + host.messages;
  };
  const auto told =
      with("g = load(\"gauge.csv\")\nq = load(\"asked.csv\")\ninterpolate(g.level, g.flow, at: q.level)");
  CHECK(told.find("the queries are in cm and the table in m") != std::string::npos);
  const auto same =
      with("g = load(\"gauge.csv\")\nf = interpolant(g.level, g.flow)\nprint(f(g.level), f(0.5))");
  CHECK(same == "   0  10  40 5\n");
}
