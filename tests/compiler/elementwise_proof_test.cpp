// What the proof of elementwise functions holds for, and what not.
#include "compiler/elementwise_analysis.h"

#include <catch2/catch.hpp>

#include "support/script.h"

using namespace quill;
using namespace quill::test;

namespace {

bool proved(const std::string& before, const std::string& function,
            std::vector<Role> roles = {Role::varying}) {
  // The names outside of it are captured, so that they are there when the text has ended.
  const auto text = "fn make() {\n" + before + "\nreturn " + function + "\n}\nresult = make()";
  return is_elementwise(value_of(text), roles);
}

}  // namespace

TEST_CASE("expressions of elementwise parts are proved") {
  for (const auto* f : {"fn(x) = x", "fn(x) = 2 * x^2 - sin(x) / 3", "fn(x) = exp(-x % 2) + pi", "sin",
                        "fn(x) = if 2 > 1 then x else -x", "fn(x) = 5"})
    CHECK(proved("", f));
  CHECK(proved("", "fn(x, p) = p[1] * exp(-p[2] * x) + p[last]", {Role::varying, Role::vector}));
  CHECK(proved("", "fn(x, a) = a * x", {Role::varying, Role::uniform}));
  CHECK(proved("fn g(x) = x^2", "fn(x) = g(x + 1)"));
  CHECK(proved("c = [1, 2]", "fn(x) = c[2] * x"));
}

TEST_CASE("what looks at single numbers, or may mix elements, is not proved") {
  for (const auto* f : {"fn(x) = if x > 0 then x else 0", "fn(x) = sum(x)", "fn(x) = x *+ x", "fn(x) = x > 0",
                        "fn(x) = [x, x]", "fn(x) = x[1]", "fn(x) = max(x)", "fn(x) = sort(x)",
                        "fn(x) = random_normal() * x", "sum", "fn(x) = x'", "fn(x) {\n  return x\n}",
                        "fn(x) = 2i * x", "fn(x) = print(x)", "fn(x) = integrate(fn(t) = t * x, 0, 1)"})
    CHECK_FALSE(proved("", f));
  CHECK_FALSE(proved("v = [1, 2, 3]", "fn(x) = x + v"));
  CHECK_FALSE(proved("v = [1, 2, 3]", "fn(x) = v[x]"));
  CHECK_FALSE(proved("m = [1, 2 | 3, 4]", "fn(x) = m[1] * x"));
  CHECK_FALSE(proved("fn g(x) = if x > 0 then 1 else 0", "fn(x) = g(x)"));
  CHECK_FALSE(proved("", "fn(x, p) = p * x", {Role::varying, Role::vector}));
  CHECK_FALSE(proved("", "fn(x, p) = p[x]", {Role::varying, Role::vector}));
}

TEST_CASE("each gives the same for proved and other functions") {
  for (const auto* shape : {"1..200 by 0.5", "reshape(1..60, 6, 10)", "[]", "[2]"})
    for (const auto* f : {"x^2 - 3 / x", "sin(x) * exp(-x)", "7"}) {
      const std::string body = f;
      const auto text = "x = " + std::string(shape) + "\nfn f(x) = " + body + "\nfn g(x) {\n  return " +
                        body + "\n}\nprint(same(each f(x), each g(x)))";
      CAPTURE(text);
      CHECK(run(text).printed.find("true") != std::string::npos);
    }
}

TEST_CASE("a model with a choice in it is fitted number by number") {
  const auto text = [](const std::string& model) {
    return "t = 0..40\ny = 3 - 0.25 * (t - 20 + abs(t - 20))\nf = fit(" + model +
           ", t, y, start: [1, -1])\nprint(near(f.coefficients, [3, -0.5], relative: 1e-8))";
  };
  CHECK(run(text("fn(t, p) = if t < 20 then p[1] else p[1] + p[2] * (t - 20)")).printed == "true\n");
  CHECK(run("t = 0..40\ny = 3 * exp(-0.1 * t)\nf = fit(fn(t, p) = p[1] * exp(-p[2] * t), t, y, start: [1, "
            "1])\nprint(near(f([1, 2 | 3, 4]), 3 * exp(-0.1 * [1, 2 | 3, 4])), near(f(5), 3 * exp(-0.5)))")
            .printed == "true true\n");
  // A row for each point.
  CHECK(run("X = [1, 2 | 2, 1 | 3, 5 | 4, 4]\ny = 2 * X[.., 1] - X[.., 2]\n"
            "f = fit(fn(x, p) = sum(p * x), X, y, start: [1, 1])\nprint(near(f(X), y, absolute: 1e-9), "
            "near(f.coefficients, "
            "[2, -1]), shape(f.band(X).lower))")
            .printed == "true true   4\n");
}
