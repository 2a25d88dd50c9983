// Integrals, derivatives and roots as a script asks for them.
#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("an estimate acts as its number, and shows its error") {
  const std::string area = "area = integrate(fn(x) = x^2, 0, 3)\n";
  CHECK(number_of("integrate(fn(x) = x^2, 0, 3) * 2 + 1") == Approx(19));
  CHECK(number_of("sqrt(integrate(fn(x) = x^2, 0, 3))") == Approx(3));
  CHECK(run(area + "print(near(area.value, 9), area.error < 1e-10, area.evaluations > 5)").printed ==
        "true true true\n");
  CHECK(run(area +
            "print(near([area, 1] * 2, [18, 2]), near([integrate(sin, 0, k) for k in 0..1], 1 - cos(0..1)))")
            .printed == "true true\n");
  CHECK(run(area + "print(\"{area:.3f} {max(area, 1):.1f} {-area:.1f} {area > 3}\")").printed ==
        "9.000 9.0 -9.0 true\n");
  CHECK(run(area + "area").printed.find(" ± ") != std::string::npos);
  CHECK(run(area + "type(area)").printed == "type(area) = \"estimate\"\n");
}

TEST_CASE("integrals over two and three variables") {
  CHECK(number_of("integrate(fn(x, y) = x * y^2, (0, 2), (0, 3)) + 0") == Approx(18));
  CHECK(number_of("integrate(fn(x, y, z) = x + y + z, (0, 1), (0, 1), (0, 2), relative: 1e-6) + 0") ==
        Approx(4));
  CHECK(number_of("integrate(fn(x, y) = exp(-x^2 - y^2), (-inf, inf), (-inf, inf), relative: 1e-7) + 0") ==
        Approx(3.14159265).epsilon(1e-6));
}

TEST_CASE("integrals of complex numbers and arrays, with weights and ranges that depend") {
  check_calls({
      {"near(integrate(fn(x) = exp(complex(0, x)), 0, 1), complex(sin(1), 1 - cos(1)))", "true"},
      {"near(integrate(fn(x) = [x, x^2 | 1, sin(x)], 0, 1), [1/2, 1/3 | 1, 1 - cos(1)])", "true"},
      {"shape(integrate(fn(x) = [x, x^2], 0, 1).error)", "[2]"},
      {"near(integrate(fn(x) = exp(-x), 0, inf, weight: \"cosine\", frequency: 5), 1 / 26)", "true"},
      {"near(integrate(fn(x) = exp(-x), 0, 1, weight: \"sine\", frequency: 50), "
       "(50 - exp(-1) * (sin(50) + 50 * cos(50))) / 2501)",
       "true"},
      {"near(integrate(fn(x) = 1, -1, 3, weight: \"cauchy\", pole: 0), log(3))", "true"},
      {"near(integrate(fn(x, y) = 1, (-1, 1), fn(x) = (-sqrt(1 - x^2), sqrt(1 - x^2))), pi, relative: 1e-7)",
       "true"},
      {"near(integrate(fn(x, y, z) = x * y * z, (0, 1), fn(x) = (0, x), fn(x, y) = (0, x * y)), 1 / 64)",
       "true"},
      {"near(integrate(fn(x) = 1 / sqrt(abs(x - 0.3)), 0, 1, breaks: [0.3]), 2 * (sqrt(0.3) + sqrt(0.7)))",
       "true"},
      {"near(integrate(fn(x) = sin(x) / x, -1, 1), 1.8921661407343660)", "true"},
  });
  // What was tried and what it cost is reported.
  CHECK(run("integrate(fn(x) = exp(-(x - 1e6)^2 * 1e12), 0, 5)").messages.find("is 0 at all") !=
        std::string::npos);
  CHECK(run("integrate(fn(x, y) = if x^2 + y^2 < 1 then 1 else 0, (-1, 1), (-1, 1), limit: 50000)")
            .messages.find("after 50") != std::string::npos);
}

TEST_CASE("functions with conditions get single numbers") {
  CHECK(number_of("integrate(fn(x) = if x > 1 then 2 else 0, 0, 3, relative: 1e-4) + 0") ==
        Approx(4).epsilon(1e-3));
  CHECK(number_of("find_root(fn(x) = if x < 0 then -1 else x - 0.25, (-1, 1)) + 0") == Approx(0.25));
  check_calls({{"near(derivative(fn(x) = sum([x, x^2]), at: [1, 2]), [3, 5])", "true"},
               {"gradient([1, 4, 9], spacing: 2)", "[1, 2, 3]"},
               {"gradient([0, 1, 3, 4], [0, 1, 9, 16])", "[0, 2, 6, 8]"},
               {"gradient([0, 2, 4], [1, 4, 9])", "[1, 2, 3]"},
               {"shape(gradient(ones(3, 4), over: 2))", "[3, 4]"}});
}

TEST_CASE("integrals that do not exist are not passed off as numbers") {
  for (const char* endless : {"integrate(fn(x) = 1 / x, 0, 1)", "integrate(fn(x) = sin(x), 0, inf)",
                              "integrate(fn(x) = 1 / (x - 0.3), 0, 1)", "integrate(exp, 0, inf)"}) {
    CAPTURE(endless);
    const auto r = run(endless);
    CHECK(r.messages.find(r.ok ? "did not converge" : "error") != std::string::npos);
  }
  // Those that exist are reported without a word, also when they are 0.
  for (const char* fine : {"integrate(sin, -1, 1)", "integrate(fn(x) = 1 / sqrt(x), 0, 1)",
                           "integrate(fn(x) = exp(-x^2), -inf, inf)"})
    CHECK(run(fine).messages.empty());
}

TEST_CASE("roots of systems and minima under constraints, as scripts ask for them") {
  check_calls({
      {"near(find_root(fn(p) = [p[1] + p[2] - 3, p[1] * p[2] - 2], start: [0, 5]), [1, 2])", "true"},
      {"max(abs(find_root(fn(p) = [p[1] + p[2] - 3, p[1] * p[2] - 2], start: [0, 5]).residual)) < 1e-12",
       "true"},
      {"near(find_root(fn(p) = p^2 - [4, 9], start: [1, 1], jacobian: fn(p) = [2 * p[1], 0 | 0, 2 * p[2]]), "
       "[2, 3])",
       "true"},
      {"near(find_root(log, (0, 5)), 1)", "true"},
      {"minimize(fn(p) = sum((p - 2)^2), start: zeros(30)).method", "lbfgs"},
      {"near(minimize(fn(p) = sum(p), start: [1, 1], constraints: fn(p) = sum(p^2) - 2).at, [-1, -1], "
       "relative: 1e-6)",
       "true"},
      {"near(minimize(fn(p) = p[1]^2 + p[2], start: [3, 3], bounds: ([1, 2], 9)).at, [1, 2])", "true"},
      {"near(minimize(fn(x) = (x - 3)^2, start: 0).at, 3, relative: 1e-6)", "true"},
      {"minimize(fn(x) = abs(x - 3), (0, 5)).method", "brent"},
  });
  CHECK(run("minimize(fn(p) = sum((p - 2)^2), start: zeros(9), limit: 30)")
            .messages.find("in 30 evaluations") != std::string::npos);
  CHECK(run("find_root(fn(x) = if x < 0.5 then -1 else 2, (0, 1))")
            .messages.find("has a jump across 0 at 0.5") != std::string::npos);
  check_errors(
      {{"find_root(fn(x) = 1 / (x - 0.25), (0, 1))",
        "the sign changes at 0.25 through a pole, where the function is infinite, not through 0",
        "use a bracket without the pole"},
       {"minimize(fn(p) = -sum(p), start: [1, 2], bounds: (0, 1, 2))",
        "minimize: `bounds` must be a pair (low, high) of numbers or vectors", "bounds: ([0, 0], inf)"},
       {"minimize(fn(p) = sum(p^2), start: [1, 2], constraints: fn(p) = p[1], method: \"lbfgs\")",
        "minimize: `method` must be \"slsqp\" if there are constraints", ""},
       {"find_root(fn(p) = [p[1], p[2], 1], start: [1, 2])",
        "find_root: `f` returned a vector of 3 float64; it must return 2 real numbers", ""}});
}

TEST_CASE("wrong questions about functions are reported") {
  check_errors(
      {{"integrate(5, 0, 1)", "integrate: `f` must be a function, not the number 5", "fn(x) = x^2"},
       {"integrate(sin, 0)", "integrate: `a` has no upper end", "integrate(f, 0, 1)"},
       {"integrate(fn(x) = \"x\", 0, 1)",
        "integrate: the function returned the text \"x\"; it must return numbers", ""},
       {"integrate(fn(x) = if x < 0.5 then [x, x] else [x, x, x], 0, 1)",
        "integrate: the function returned a vector of 2 float64, but a vector of 3 float64 at first", ""},
       {"integrate(fn(x) = nan, 0, 1)", "the function is nan at 0.0006911839714849044", "check the range"},
       {"find_root(fn(x) = x^2 + 1, (0, 1))",
        "the function has the same sign at both ends: 1 at 0 and 2 at 1",
        "a bracket contains a root if the signs differ; start: x searches for one"},
       {"find_root(sin)", "find_root: `between` or `start` must be given",
        "find_root(f, (0, 1)) or find_root(f, start: 0.5)"},
       {"minimize(sin, (1, \"a\"))", "minimize: `between` must be two numbers, not a tuple",
        "minimize(f, (0, 1))"},
       {"fn f(x) = x[5]\nintegrate(f, 0, 1)", "a single number has no elements to select", ""}});
  // An error inside of the function lists the call.
  CHECK(error_of("fn f(x) = x[5]\nintegrate(f, 0, 1)")
            .find("in f, called by integrate in test.eq, line 2, column 1") != std::string::npos);
}

TEST_CASE("integrals of functions that are not finite are refused, however they are taken") {
  for (const char* text :
       {"integrate(fn(x) = nan, 0, inf)", "integrate(fn(x) = if x > 50 then nan else 1 / (1 + x^2), 0, inf)",
        "integrate(fn(x) = nan, 0, inf, weight: \"sine\", frequency: 2)",
        "integrate(fn(x) = 1 / x, -1, 1, weight: \"cosine\", frequency: 2)",
        "integrate(fn(x) = inf, -1, 1, weight: \"cauchy\", pole: 0)",
        "integrate(fn(x, y) = inf, (0, 1), (0, 1))",
        "integrate(fn(x, y) = if x < 0.3 then inf else 1, (0, 1), (0, 1))",
        "integrate(fn(x, y) = nan, (0, inf), (0, 1))"}) {
    INFO(text);
    CHECK(error_of(text).find("the function is ") != std::string::npos);
  }
  // Single lines and corners where it is infinite are passed by.
  CHECK(number_of("integrate(fn(x, y) = 1 / sqrt(x * y), (0, 1), (0, 1), relative: 1e-3) + 0") ==
        Approx(4).epsilon(1e-2));
  CHECK(number_of("integrate(fn(x, y) = 1 / sqrt(abs(x - y)), (0, 1), (0, 1), relative: 1e-3) + 0") ==
        Approx(8.0 / 3).epsilon(1e-2));
}

TEST_CASE("wrong arguments of integrals, searches, evolutions and fits are marked") {
  check_errors(
      {{"integrate(sin, 0, 1, relative: 0)",
        "integrate: `relative` and `absolute` are both 0; one of them must be above 0", "absolute: 1e-6"},
       {"integrate(sin, 0, 1, weight: \"sine\", frequency: 0)",
        "integrate: `frequency` must be finite and not 0", ""},
       {"integrate(sin, 0, 1, weight: \"sine\", frequency: 2, breaks: 0.5)",
        "integrate: `breaks` cannot be combined with a weight",
        "compute two integrals, one on each side of the break"},
       {"minimize(fn(p) = sum(p^2), start: [1, nan])", "start contains nan, the first at element 2",
        "select the finite elements: a[is_finite(a)]"},
       {"minimize(fn(p) = sum(p^2), start: [1, 2], constraints: fn(p) = \"a\")",
        "minimize: `constraints` returned the text \"a\"; it must return numbers",
        "constraints: fn(p) = [p[1] + p[2] - 1, -p[1]]"},
       {"fit(fn(x, p) = p[1] * x, [1, 2, 3], [1, 2, 3], start: [1], sigma: [1, 2])",
        "fit: `sigma` must be a single number or one for each of the 3 of `y`; not of shape 2", ""},
       {"evolve(fn(t, y) = complex(0, 1) * y, 1, over: (0, 1))",
        "evolve: `f` returned the complex128 0 + 1i; it must return a single number",
        "start a complex state with complex numbers: complex(1)"},
       {"gradient([1, 4, 9], 2)", "gradient: `y` must be an array, not a single number",
        "use spacing for equal steps: gradient(y, spacing: 2)"}});
}

TEST_CASE("searches stay where a function has values") {
  for (const char* call : {"find_root(fn(x) = sqrt(x), (0, 1))", "find_root(fn(x) = sqrt(x) - 0.5, (0, 1))",
                           "minimize(fn(p) = p[1]^1.5 - p[1], start: [0.5])",
                           "minimize(fn(p) = p[1] - 0.2 * log(p[1]), start: [0.25])"}) {
    CAPTURE(call);
    const auto ran = run(std::string("r = ") + call);
    CHECK(ran.ok);
    CHECK(ran.messages == "");
  }
}

TEST_CASE("a search for a minimum that takes too long ends with its best point and a warning") {
  const auto ran =
      run("fn slow(p) = sum([sin(k * p[1]) for k in 1..20000]) * 1e-9 + (p[1] - 1)^2 + (p[2] + 3)^2\n"
          "m = minimize(slow, start: [50, 70], method: \"nelder_mead\", seconds: 0.05)\nprint(m.converged, "
          "m.value < 8000)");
  CAPTURE(ran.messages);
  CHECK(ran.printed == "false true\n");
  CHECK(ran.messages.find("was stopped after 0.05 s") != std::string::npos);
}
