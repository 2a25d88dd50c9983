// Stated errors of integrals hold on families of random problems with closed forms: see
// reference/integral_families.h.
#include <catch2/catch.hpp>

#include "numerics/evolve.h"
#include "numerics/minimize.h"
#include "numerics/roots.h"

#include "reference/cubature_families.h"
#include "reference/integral_families.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("integrals of random problems are right within their errors, or warn") {
  int wrong = 0, needless = 0, all = 0;
  const int count = repeats(100);
  for (const auto& family : integral_families()) {
    const auto c = count_claims(family, count, 11);
    CAPTURE(family.name, c.right, c.warned, c.refused, c.wrong, c.needless, c.first_wrong);
    CHECK(c.wrong == 0);
    CHECK(c.needless * 100 <= 6 * count);
    if (family.name == "divergent") CHECK(c.refused + c.warned == count);
    wrong += c.wrong;
    needless += c.needless;
    all += count;
  }
  CHECK(wrong * 500 <= all);
  CHECK(needless * 100 <= 3 * all);
}

TEST_CASE("integrals over two and three variables are right within their errors, or warn") {
  for (const std::size_t axes : {2, 3}) {
    IntegralOptions options;
    options.relative = axes == 2 ? 1e-6 : 1e-4;
    options.limit = 200000;
    int wrong = 0, all = 0;
    const int count = repeats(axes == 2 ? 12 : 4);
    for (const auto& family : cubature_families(axes)) {
      const auto c = count_claims(family, count, 5, options);
      UNSCOPED_INFO(axes << " variables, " << family.name << ": " << c.wrong << " wrong, " << c.warned
                         << " warned " << c.first_wrong);
      wrong += c.wrong;
      all += count;
    }
    CHECK(wrong * 100 <= all);
  }
  // The nested rule agreed with itself at 0, 1/2 and 1.
  const std::vector<RangeOf> unit(2, [](auto) { return std::pair(0.0, 1.0); });
  const auto square =
      integrate([](std::span<const double> x,
                   std::span<double> y) { y[0] = std::pow(std::cos(2 * std::numbers::pi * x[0]), 2); },
                1, unit, {})[0];
  CHECK(std::fabs(square.value - 0.5) <= square.error);
  CHECK(square.error < 1e-9);
  // A pole across the range is no number.
  IntegralOptions few;
  few.limit = 50000;
  const auto pole = integrate(
      [](std::span<const double> x, std::span<double> y) { y[0] = 1 / (x[0] - x[1]); }, 1, unit, few)[0];
  CHECK(pole.needs_warning(few));
}

TEST_CASE("a smooth integral takes less than 500 evaluations with the second look") {
  const std::vector<IntegralProblem> problems = {
      {[](double x) { return std::exp(-x * x); }, 0, 1, 0.74682413281242702540, 1},
      {[](double x) { return std::cos(3 * x) / (1 + x * x); }, -1, 1, 0, 1},
      {[](double x) { return x * x * x - x; }, -2, 3, 0, 1},
      {[](double x) { return std::sin(x); }, 0, std::numbers::pi, 2, 1},
  };
  for (const auto& p : problems) {
    const auto confirmed = integrate(p.f, p.a, p.b, {});
    CHECK(confirmed.evaluations < 500);
    CHECK(confirmed.is_confirmed);
    IntegralOptions options;
    options.confirm = false;
    const auto quick = integrate(p.f, p.a, p.b, options);
    CHECK(quick.evaluations < 160);
    CHECK(!quick.is_confirmed);
    CHECK(std::fabs(quick.value - confirmed.value) <= quick.error + confirmed.error);
  }
}

TEST_CASE("integrals that found false agreement by extrapolation or at the limit") {
  const auto value = [](RealFunction f, double a, double b) { return integrate(f, a, b, {}); };
  // The rule's own guard returned zeros after the limit, and the extrapolation converged on them.
  const auto square = value([](double x) { return std::pow(std::sin(x), 2); }, 0, 30000);
  CHECK(std::fabs(square.value - (15000 - std::sin(60000.0) / 4)) <= square.error);
  const auto stairs = value([](double x) { return std::floor(1 / x) * x; }, 0, 1);
  CHECK(std::fabs(stairs.value - std::numbers::pi * std::numbers::pi / 12) <= stairs.error);
  CHECK(stairs.needs_warning({}));
  const auto chirp = value([](double x) { return std::sin(1 / x); }, 0, 1);
  CHECK(std::fabs(chirp.value - 0.50406706190692837199) <= chirp.error);
  CHECK_THROWS_AS(value([](double x) { return 1 / (x * x); }, 0, 1), Error);
  CHECK_THROWS_AS(value([](double) { return 1.0; }, 0, INFINITY), Error);
}

TEST_CASE("minima and roots do not depend on the unit of the variable") {
  std::mt19937_64 random(26);
  for (int round = 0; round < 200; ++round) {
    const double unit = spread(random, 1e-12, 1e12), height = spread(random, 1e-12, 1e12),
                 c = uniform(random, 0.05, 0.95);
    CAPTURE(unit, height, c);
    const auto found = minimize([&](double x) { return height * std::pow(x / unit - c, 2); }, 0, unit);
    CHECK(found.converged);
    CHECK(std::fabs(found.at[0] - c * unit) < 1e-7 * unit);
    // In a range that is far wider than where the minimum is.
    const auto far =
        minimize([&](double x) { return std::pow(std::log(x / unit), 2); }, 1e-6 * unit, 1e3 * unit);
    CHECK(std::fabs(far.at[0] - unit) < 1e-6 * unit);
  }
  CHECK_THROWS_AS(find_root_near([](double x) { return std::exp(-x); }, 0), Error);
  CHECK_THROWS_AS(find_root_near([](double x) { return std::exp(-x * x); }, 0.5), Error);
  CHECK(find_root_near([](double x) { return x * x * x; }, 0.5).value == Approx(0).margin(1e-6));
}

TEST_CASE("an oscillator of any amplitude comes out with the same relative digits") {
  for (const double amplitude : {1e-12, 1e-6, 1.0, 1e6, 1e12})
    for (const bool from_rest : {true, false}) {
      const std::vector<double> start = from_rest ? std::vector<double>{amplitude, 0}
                                                  : std::vector<double>{0, amplitude},
                                times = {0, 10, 20};
      const auto solution = evolve(
          [](double, std::span<const double> y, std::span<double> out) {
            out[0] = y[1];
            out[1] = -y[0];
          },
          start, times, false, {});
      CAPTURE(amplitude, from_rest);
      const double expected = from_rest ? std::cos(20) : std::sin(20);
      CHECK(std::fabs(solution.y[4] / amplitude - expected) < 1e-4);
    }
}

TEST_CASE("a root has an error that covers what roundings hide") {
  // (x - c)^3 inlined: the sign means nothing within some 1e-5 of c.
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> uniform(0, 1);
  int false_claims = 0;
  for (int k = 0; k < 200; ++k) {
    const double c = 0.5 + uniform(random);
    const auto f = [&](double x) { return ((x - 3 * c) * x + 3 * c * c) * x - c * c * c; };
    const auto found = find_root(f, c - 0.3 - uniform(random), c + 0.2 + uniform(random));
    if (std::fabs(found.value - c) > found.error + 1e-15) ++false_claims;
    CHECK(found.error < 1e-3);
  }
  CHECK(false_claims <= 2);
  // Roots at the ends of a bracket.
  CHECK(find_root([](double x) { return x - 1; }, 0, 1).error == 0);
  CHECK(find_root([](double x) { return std::sqrt(x); }, 0, 1).error < 1e-20);
  const auto simple = find_root([](double x) { return std::cos(x); }, 1, 2);
  CHECK(simple.error < 1e-14);
  CHECK(simple.evaluations < 60);
}

TEST_CASE("systems whose matrix is singular at the root are solved, and near misses are refused") {
  // M. J. D. Powell, 1962.
  const VectorFunction singular = [](std::span<const double> x, std::span<double> f) {
    f[0] = x[0] + 10 * x[1];
    f[1] = std::sqrt(5.0) * (x[2] - x[3]);
    f[2] = std::pow(x[1] - 2 * x[2], 2);
    f[3] = std::sqrt(10.0) * std::pow(x[0] - x[3], 2);
  };
  const auto found = find_root(singular, {}, {3, -1, 0, 1}, 100000);
  for (std::size_t k = 0; k < 4; ++k) {
    CHECK(std::fabs(found.at[k]) < 1e-6);
    CHECK(std::fabs(found.at[k]) <= found.error[k]);
  }
  for (const double gap : {1e-3, 1e-6, 1e-9})
    CHECK_THROWS_AS(find_root(
                        [&](std::span<const double> x, std::span<double> f) {
                          f[0] = x[0] * x[0] + gap;
                          f[1] = x[1] - 1;
                        },
                        {}, {1, 0}, 100000),
                    Error);
  CHECK_THROWS_AS(find_root([](std::span<const double> x, std::span<double> f) { f[0] = std::exp(-x[0]); },
                            {}, {1}, 100000),
                  Error);
}

TEST_CASE("integrals with a weight hold their claims, from slow waves to fast ones") {
  int false_claims = 0, count = 0;
  const auto check = [&](const RealFunction& f, double from, double to, Weight weight, double w,
                         double exact) {
    IntegralOptions options;
    options.weight = weight;
    options.weight_at = w;
    const auto found = integrate(f, from, to, options);
    ++count;
    CAPTURE(w, found.value, found.error, exact);
    if (found.needs_warning(options)) return;
    if (!(std::fabs(found.value - exact) <= found.error + 1e-14 * std::fabs(exact))) ++false_claims;
    CHECK(std::fabs(found.value - exact) <= found.error + 1e-14 * std::fabs(exact));
  };
  constexpr double pi = std::numbers::pi;
  for (double w = 1e-6; w < 1e4; w *= 3.7) {
    check([](double x) { return 1 / (1 + x * x); }, 0, INFINITY, Weight::cosine, w, pi / 2 * std::exp(-w));
    check([](double x) { return std::exp(-x); }, 0, INFINITY, Weight::cosine, w, 1 / (1 + w * w));
    check([](double x) { return std::exp(-x); }, 0, INFINITY, Weight::sine, w, w / (1 + w * w));
    check([](double x) { return 1 / x; }, 0, INFINITY, Weight::sine, w, pi / 2);
    check([](double x) { return 1 / std::sqrt(x); }, 0, INFINITY, Weight::cosine, w, std::sqrt(pi / (2 * w)));
    check([](double x) { return std::exp(-x * x); }, -INFINITY, INFINITY, Weight::cosine, w,
          std::sqrt(pi) * std::exp(-w * w / 4));
    check([](double x) { return std::exp(x); }, 0, 1, Weight::sine, w,
          (std::exp(1.0) * (std::sin(w) - w * std::cos(w)) + w) / (1 + w * w));
    check([](double x) { return x < 0.3 ? 1 : 0; }, 0, 1, Weight::cosine, w, std::sin(0.3 * w) / w);
  }
  CAPTURE(count, false_claims);
  CHECK(false_claims == 0);
  IntegralOptions cosine;
  cosine.weight = Weight::cosine;
  cosine.weight_at = 2;
  CHECK_THROWS_AS(integrate([](double x) { return x; }, 0, INFINITY, cosine), Error);
  CHECK_THROWS_AS(integrate([](double) { return 1.0; }, 0, INFINITY, cosine), Error);
}

TEST_CASE("waves that do not die out are refused with a way to integrate them") {
  try {
    integrate([](double x) { return x == 0 ? 1 : std::sin(x) / x; }, 0, INFINITY, {});
    FAIL("nothing was refused");
  } catch (const Error& error) {
    CHECK(error.message.find("the integral up to inf did not converge in ") == 0);
    CHECK(error.hint.find("weight: \"sine\"") == 0);
  }
}

TEST_CASE("values near the end of the range over a half line are refused or right") {
  for (const double height : {1e290, 1e300, 1e308}) {
    CHECK_THROWS_AS(integrate([&](double) { return height; }, 0, INFINITY, {}), Error);
    const auto found = integrate([&](double x) { return height * std::exp(-x) / 8; }, 0, INFINITY, {});
    CHECK(found.value == Approx(height / 8));
  }
}
