// Fits as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill::test;

TEST_CASE("a fit is called, shown and asked for its parts") {
  const std::string line = "x = 1..6\ny = [2.1, 3.9, 6.2, 7.8, 10.1, 11.9]\nf = line_fit(x, y)\n";
  CHECK(run(line + "print(near(f(x), f.coefficients[1] * x + f.coefficients[2]))").printed == "true\n");
  CHECK(run(line + "show(f)").printed.find("f : line: 1.9771 ± ") != std::string::npos);
  CHECK(run(line + "print(f.freedom, f.r_squared > 0.99, shape(f.interval()), shape(f.interval(0.5)))")
            .printed == "4 true   2  2   2  2\n");
  // The interval holds the coefficient in its middle and is wider for more confidence.
  CHECK(run(line + "i = f.interval(0.95)\nprint(near(mean(i, over: 2), f.coefficients), "
                   "all(diff(f.interval(0.99), over: 2) "
                   "> diff(i, over: 2)))")
            .printed == "true true\n");
  // The band is narrowest at the mean of x, where it is the error of the mean.
  CHECK(run(line + "b = f.band([1, 3.5, 6])\nw = b.upper - b.lower\nprint(w[2] < w[1], near(w[1], w[3]))")
            .printed == "true true\n");
  CHECK(run(line + "f.nosuch").messages.find("a fit has no part `nosuch`") != std::string::npos);
}

TEST_CASE("fits that lose digits say what to do") {
  const auto far = run("x = 1e6 + (0..9)\nf = polynomial_fit(x, x^2, 3)");
  CHECK(far.ok);
  CHECK(far.messages.find("(x - mean(x)) / std(x)") != std::string::npos);
  check_errors({{"line_fit([1, 2], [1])", "x and y are vectors of one length, not of shapes 2 and 1", ""},
                {"polynomial_fit([1, 2], [1, 2], 5)",
                 "6 coefficients need at least as many points, and there are 2", ""},
                {"fit(fn(x, p) = [x, x], [1, 2], [1, 2], start: [1])",
                 "fit: the model gave a vector of 2 float64, where a single number is wanted", ""},
                {"fit(fn(x, p) = p[9], [1, 2], [1, 2], start: [1])",
                 "position 9 is out of range: valid positions are 1..1", ""}});
}
