// Fits as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill::test;

TEST_CASE("a fit is called, shown and asked for its parts") {
  const std::string line = "x = 1..6\ny = [2.1, 3.9, 6.2, 7.8, 10.1, 11.9]\nf = line_fit(x, y)\n";
  CHECK(run(line + "print(near(f(x), f.coefficients[1] * x + f.coefficients[2]))").printed == "true\n");
  CHECK(run(line + "show(f)").printed.find("f : line: 1.977 ± 0.0") != std::string::npos);
  CHECK(run(line +
            "print(f.degrees_of_freedom, f.r_squared > 0.99, shape(f.interval()), shape(f.interval(0.5)))")
            .printed == "4 true   2  2   2  2\n");
  // The interval holds the coefficient in its middle and is wider for more confidence.
  CHECK(run(line + "i = f.interval(0.95)\nprint(near(mean(i, over: 2), f.coefficients), "
                   "all(diff(f.interval(0.99), over: 2) "
                   "> diff(i, over: 2)))")
            .printed == "true true\n");
  // The band is narrowest at the mean of x, where it is the error of the mean.
  CHECK(run(line + "b = f.band([1, 3.5, 6])\nw = b.upper - b.lower\nprint(w[2] < w[1], near(w[1], w[3]))")
            .printed == "true true\n");
  CHECK(run(line + "f.nosuch").messages.find("a fit has no field `nosuch`") != std::string::npos);
}

TEST_CASE("fits that lose digits say what to do") {
  const auto far = run("x = 1e6 + (0..9)\nf = polynomial_fit(x, x^2, 3)");
  CHECK(far.ok);
  CHECK(far.messages.find("(x - mean(x)) / std(x)") != std::string::npos);
  check_errors(
      {{"line_fit([1, 2], [1])", "x and y must be vectors of equal length, not of shapes 2 and 1", ""},
       {"polynomial_fit([1, 2], [1, 2], 5)", "6 coefficients need at least 6 points, and there are 2", ""},
       {"fit(fn(x, p) = [x, x], [1, 2], [1, 2], start: [1])",
        "fit: the model returned a vector of 2 float64; it must return a single number", ""},
       {"fit(fn(x, p) = p[9], [1, 2], [1, 2], start: [1])", "index 9 is out of range: valid indices are 1..1",
        ""}});
}

TEST_CASE(
    "fits with bounds, fixed parameters, known uncertainties and robust losses, as scripts ask for them") {
  const std::string data = "t = 0..19\ny = 2 * t + 3 + sin(5 * t)\nfn model(t, p) = p[1] * t + p[2]\n";
  const auto is_true = [&](const std::string& what) {
    INFO(what);
    CHECK(run(data + "print(" + what + ")").printed == "true\n");
  };
  is_true("fit(model, t, y, start: [0, 0], bounds: (-10, [1.5, 10])).coefficients[1] == 1.5");
  is_true("fit(model, t, y, start: [0, 7], fixed: 2).coefficients[2] == 7");
  is_true("fit(model, t, y, start: [0, 7], fixed: [false, true]).standard_errors[2] == 0");
  is_true(
      "near(fit(model, t, y, start: [0, 0], sigma: 0.1).standard_errors[1], 0.1 / sqrt(sum((t - "
      "mean(t))^2)))");
  is_true("shape(fit(model, t, y, start: [0, 0]).covariance)[1] == 2");
  is_true(
      "near(sqrt(diagonal(fit(model, t, y, start: [0, 0]).covariance)), "
      "fit(model, t, y, start: [0, 0]).standard_errors)");
  is_true(
      "near(fit(model, t, pick(t == 7, 1000, y), start: [0, 0], loss: \"bisquare\").coefficients[1], 2, "
      "absolute: "
      "0.1)");
  check_errors({{data + "fit(model, t, y, start: [0, 0], sigma: 0)",
                 "fit: `sigma` must be finite numbers above 0", ""},
                {data + "fit(model, t, y, start: [0, 0], fixed: 3)",
                 "fit: `fixed` must be parameter numbers from 1 to 2, not 3", ""},
                {data + "fit(model, t, y, start: [0, 0], sigma: 1, weights: y)",
                 "fit: `sigma` and `weights` have the same meaning; give one of them", ""},
                {data + "y[3] = inf\nfit(model, t, y, start: [0, 0])",
                 "y contains an infinite number, the first at element 3",
                 "select the finite elements: a[is_finite(a)]"}});
  // A fit over rows takes one row too.
  CHECK(run("x = [0, 1 | 1, 0 | 1, 1 | 2, 1]\nf = fit(fn(r, p) = p[1] * r[1] + p[2] * r[2], x, [3, 2, 5, 7], "
            "start: "
            "[1, 1])\nprint(near(f([2, 3]), 13), near(f([2, 3 | 1, 1]), [13, 5]))")
            .printed == "true true\n");
}

TEST_CASE("least squares tell the errors of coefficients and the columns that depend on each other") {
  CHECK(run("x = 1..6\nA = [x | ones(6)]'\nb = [2.1, 3.9, 6.2, 7.8, 10.1, 12.2]\n"
            "print(near(least_squares(A, b).standard_errors, line_fit(x, b).standard_errors))")
            .printed == "true\n");
  const auto near_one =
      run("x = 1..9\nA = [x | ones(9) | sin(x) | x + 1e-13 * sin(3 * x)]'\nleast_squares(A, x^2)");
  CHECK(near_one.messages.find("columns 1, 4 of the matrix") != std::string::npos);
}

TEST_CASE("what is not finite is marked in the argument that holds it") {
  const auto marked = [](const std::string& text) {
    const auto message = error_of(text);
    const auto bar = message.find("‾");
    REQUIRE(bar != std::string::npos);
    const auto line = message.rfind('\n', bar) + 1;
    return bar - line - 6;  // after the margin
  };
  CHECK(marked("line_fit([1, 2, 3], [1, inf, 3])") == 20);
  CHECK(marked("line_fit([1, nan, 3], [1, inf, 3])") == 9);
  CHECK(marked("solve([1, 2 | 3, 4], [1, nan])") == 21);
  CHECK(marked("interpolant([1, 2, 3], [1, inf, 3])") == 23);
  CHECK(error_of("det([1, 2 | nan, 4])").find("row 2, column 1") != std::string::npos);
}
