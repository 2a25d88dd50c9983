// Regression, fits of several outputs and designs as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill::test;

TEST_CASE("regression takes numbers, booleans, categories and weights, and predicts") {
  const std::string table =
      "t = (y: [3, 5, 7, 10, 12, 14.2], x: [1, 2, 3, 1, 2, 3], g: [\"a\", \"a\", \"a\", \"b\", \"b\", "
      "\"b\"])\n";
  const auto ran =
      run(table +
          "r = regress(t, \"y\", [\"x\", \"g\"])\nprint(join_text(r.terms.term, \", "
          "\"))\nprint(round(r.coefficients, digits: 3))\n"
          "q = r.predict((x: [2], g: [\"b\"]))\nprint(round(q.value[1], digits: 3), q.lower[1] < q.value[1], "
          "q.prediction_lower[1] < q.lower[1])\n");
  CAPTURE(ran.messages);
  CHECK(ran.printed == "(intercept), x, g: b\n  0.900  2.050  7.067\n12.067 true true\n");
  check_errors(
      {{table + "regress(t, \"y\", \"z\")", "regress: `x` names a column that does not exist: \"z\"",
        "the columns are y, x and g"},
       {table + "regress(t, \"g\", \"x\")", "column `g` must have real numbers, not text", ""},
       {table + "regress(t, \"y\", \"y\")", "regress: `x` must not name `y`, which is explained", ""},
       {table + "regress(t, \"y\", \"g\").predict((g: [\"c\"]))",
        "column `g` has the category \"c\", which the regression has not seen", ""},
       {"regress((y: [1, nan, 3, 4], x: [1, 2, 3, 5]), \"y\", \"x\")",
        "regress: `t` contains nan in column `y`, row 2", "skip_nan: true leaves such rows out"}});
  CHECK(run("r = regress((y: [1, 2, 3, 5], a: [1, 2, 3, 4], b: [2, 4, 6, 8]), \"y\", [\"a\", \"b\"])")
            .messages.find("the coefficients are not determined: a and b depend on each other") !=
        std::string::npos);
}

TEST_CASE("a model of several outputs is fitted by one call for all points") {
  const auto ran =
      run("t = 0..20\ncalls = 0\nfn both(t, p) = [[p[1] * exp(-p[2] * x), p[1] * (1 - exp(-p[2] * x))] for x "
          "in t]\n"
          "y = both(t, [3, 0.2])\nf = fit(both, t, y, start: [1, 1])\nprint(near(f.coefficients, [3, 0.2], "
          "relative: 1e-6), "
          "shape(f.residual), shape(f(t)))\ng = fit(fn(t, p) = p[1] * t + p[2], t, 2 * t + 1, start: [1, 1], "
          "at_once: true, sigma: "
          "0.1)\nprint(near(g.coefficients, [2, 1]), g.reduced_chi_squared < 1e-10)");
  CAPTURE(ran.messages);
  CHECK(ran.printed == "true   21   2   21   2\ntrue true\n");
  check_errors({{"fit(fn(t, p) = p[1], 1..4, 1..4, start: [1], at_once: true)",
                 "fit: the model returned an array of shape single; y has shape 4", ""}});
}

TEST_CASE("normal draws are correlated, and designs lie within bounds") {
  CHECK(run("seed(3)\nx = random_normal(20000, mean: [1, 2], covariance: [4, 1 | 1, 2])\nc = "
            "covariance(x)\nexpect "
            "near(mean(x, over: 1), [1, 2], absolute: 0.05)\nexpect near(c, [4, 1 | 1, 2], absolute: "
            "0.12)\nexpect all("
            "shape(random_normal(2, 3, covariance: [1, 0 | 0, 1])) == [2, 3, 2])\nexpect "
            "abs(std(random_normal(10000, std: 3)) - 3) < 0.1")
            .ok);
  check_calls({{"max(sobol_points(64, 2, bounds: ([0, 10], [1, 20])), over: 1)", "[0.984375, 19.84375]"},
               {"all(latin_hypercube(9, 2, bounds: (5, 6)) >= 5)", "true"}});
  check_errors({{"random_normal(3, std: 1, covariance: [1, 0 | 0, 1])",
                 "random_normal: `std` and `covariance` have the same meaning; give one of them", ""}});
}
