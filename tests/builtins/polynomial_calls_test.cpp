// Polynomials and random streams as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill::test;

TEST_CASE("polynomials are called, combined and compared") {
  check_calls({{"polynomial([1, 0, -2])([1, 2])", "[-1, 2]"},
               {"polynomial([1, 0, 1])(2i)", "-3 + 0i"},
               {"(2 - polynomial([1, 0])).coefficients", "[-1, 2]"},
               {"(-polynomial([1, 2])).coefficients", "[-1, -2]"},
               {"(polynomial([1, 1]) * polynomial([1, -1]) / 2).coefficients", "[0.5, 0, -0.5]"},
               {"polynomial([1, 2]) + polynomial([1]) == polynomial([1, 3])", "true"},
               {"polynomial([1, 2]) == 5", "false"},
               {"polynomial([3, 2, 1]).derivative(1)", "8"},
               {"polynomial([3, 2, 1]).integral(0, 2)", "14"},
               {"polynomial([3, 2, 1]).integral([0, 1], 1)", "[3, 0]"},
               {"polynomial([1, 0, 0, 0]).roots", "[0, 0, 0]"},
               {"polynomial([2, 3]).degree", "1"},
               {"type(polynomial([1]))", "polynomial"}});
  check_errors({{"polynomial([1, 2])(1, 2)", "a polynomial takes 1 argument, not 2", ""},
                {"polynomial([1, 2])(\"a\")", "a polynomial takes numbers, not the text \"a\"", ""},
                {"polynomial([])", "a polynomial needs at least one coefficient", ""},
                {"polynomial([1, nan])", "coefficient 2 of a polynomial is not finite", ""},
                {"1 / polynomial([1, 2])", "`/` takes arrays, not a polynomial", ""},
                {"polynomial([1, 2]).nosuch", "a polynomial has no field `nosuch`",
                 "known: coefficients, degree, roots, derivative and integral"}});
}

TEST_CASE("random streams go on with every draw and leave other draws alone") {
  CHECK(run("seed(3)\na = random(4)\nseed(3)\ns = random_stream(5)\nx = s.random(2, 3)\nprint(same(a, "
            "random(4)), "
            "shape(x), shape(s.random_normal([4, 1])), min(s.random_whole(2, 3, 50)))")
            .printed == "true   2  3   4  1 2\n");
  CHECK(run("s = random_stream(1)\nprint(s.random() == s.random())\ns").printed ==
        "false\ns = random stream 1\n");
  check_errors(
      {{"random_stream(-1)", "random_stream: `n` must be an integer from 0, not -1", ""},
       {"random_stream(1).random_whole(6)", "random_whole takes the smallest and the largest integer first",
        "s.random_whole(1, 6, 100)"},
       {"random_stream(1).random(-2)", "random: a size must be an integer from 0, not -2", ""}});
}
