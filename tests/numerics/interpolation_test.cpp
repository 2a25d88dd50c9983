// Interpolation in tables of one variable.
#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "numerics/helpers.h"
#include "numerics/interpolation.h"
#include "numerics/quadrature.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

using enum InterpolationMethod;
constexpr InterpolationMethod kMethods[] = {nearest, previous, linear, spline, monotone, akima, polynomial};
constexpr InterpolationMethod kSmooth[] = {linear, spline, monotone, akima, polynomial};

double single(const TableResult& r) { return r.values.to_vector<double>()[0]; }
double at(const Interpolant& f, double q) { return single(f.evaluate(Array::single(q))); }

double largest_error(const Interpolant& f, double from, double to, double (*boolean)(double)) {
  const auto q = sampled(from, to, 2001, [](double x) { return x; });
  const auto got = f.evaluate(q).values.to_vector<double>(), x = q.to_vector<double>();
  double worst = 0;
  for (std::size_t k = 0; k < x.size(); ++k) worst = std::max(worst, std::fabs(got[k] - boolean(x[k])));
  return worst;
}

}  // namespace

TEST_CASE("every method converges with its order") {
  const auto boolean = [](double x) { return std::sin(2 * x) + 0.3 * x; };
  const auto rising = [](double x) { return std::exp(0.7 * x) + x; };
  const auto wave = [](double x) { return std::exp(std::sin(2 * x)); };
  const auto order = [](double (*f)(double), double to, const InterpolantOptions& o) {
    const auto error = [&](Index n) {
      const Interpolant g(sampled(0, to, n, [](double x) { return x; }), sampled(0, to, n, f), o);
      return largest_error(g, 0, to, f);
    };
    return std::log2(error(65) / error(129));
  };
  CHECK(order(boolean, 3, {nearest}) == Approx(1).margin(0.1));
  CHECK(order(boolean, 3, {previous}) == Approx(1).margin(0.1));
  CHECK(order(boolean, 3, {linear}) == Approx(2).margin(0.1));
  CHECK(order(boolean, 3, {spline}) == Approx(4).margin(0.25));
  // Natural ends lose two orders where the function is curved at the end.
  CHECK(order(rising, 3, {spline, SplineEnds::natural}) == Approx(2).margin(0.15));
  CHECK(order(rising, 3, {spline, SplineEnds::clamped, Outside::nan, 1.7, 0.7 * std::exp(2.1) + 1}) ==
        Approx(4).margin(0.25));
  const double period = std::acos(-1.0);
  CHECK(order(wave, period, {spline, SplineEnds::periodic}) == Approx(4).margin(0.3));
  CHECK(order(rising, 3, {monotone}) == Approx(3).margin(0.25));
  CHECK(order(rising, 3, {akima}) == Approx(3).margin(0.3));
}

TEST_CASE("the polynomial through cosine-spaced points converges geometrically") {
  const auto boolean = [](double x) { return 1 / (1 + 4 * x * x); };
  const auto error = [&](Index n) {
    const auto x = sampled(0, std::acos(-1.0), n, [](double t) { return -std::cos(t); });
    std::vector<double> y;
    for (const double v : x.to_vector<double>()) y.push_back(boolean(v));
    return largest_error(Interpolant(x, vector(y), {polynomial}), -1, 1, boolean);
  };
  // The pole at i/2 lets the error fall by (1 + sqrt 5)/2 for each point.
  const double golden = (1 + std::sqrt(5)) / 2;
  CHECK(std::log(error(21) / error(61)) / 40 == Approx(std::log(golden)).epsilon(0.05));
  CHECK(error(101) < 1e-14);
  // The amplification of errors: known growth for equal distances, small for cosine spacing.
  const auto amplified = [&](Array x) { return Interpolant(x, x, {polynomial}).amplification(); };
  const double eleven = amplified(sampled(0, 1, 11, [](double t) { return t; }));
  CHECK((eleven > 24 && eleven < 29.9));  // the constant itself is 29.9, beside the middle of the first piece
  CHECK(amplified(sampled(0, std::acos(-1.0), 41, [](double t) { return -std::cos(t); })) < 4);
}

TEST_CASE("slopes and integrals agree with the function itself") {
  Random random(77);
  std::uniform_real_distribution<double> real(0, 5);
  const auto x = vector({0, 0.7, 1.5, 2.1, 3.3, 4.2, 5});
  for (const auto method : kMethods) {
    const Interpolant f(x, random_array(random, {7, 2}), {method, SplineEnds::not_a_knot, Outside::extend});
    for (int trial = 0; trial < 20; ++trial) {
      const double q = real(random), h = 1e-6;
      CAPTURE(static_cast<int>(method), q);
      const auto both = [&](const TableResult& r) { return r.values.to_vector<double>(); };
      const auto up = both(f.evaluate(Array::single(q + h))), down = both(f.evaluate(Array::single(q - h)));
      if (method != nearest && method != previous) {
        const auto slope = both(f.derivative(Array::single(q)));
        for (std::size_t c = 0; c < 2; ++c)
          CHECK(slope[c] == Approx((up[c] - down[c]) / (2 * h)).margin(2e-4));
      }
      const auto area = both(f.antiderivative(Array::single(q)));
      // Piece by piece by another rule.
      double by_rule = 0, from = 0;
      for (const double edge : {0.35, 0.7, 1.1, 1.5, 1.8, 2.1, 2.7, 3.3, 3.75, 4.2, 4.6, 5.0}) {
        const double to = std::min(edge, q);
        if (to <= from) break;
        by_rule +=
            integrate([&](double t) { return both(f.evaluate(Array::single(t)))[1]; }, from, to, {}).value;
        from = to;
      }
      CHECK(area[1] == Approx(by_rule).margin(1e-5));
    }
    CHECK(single(f.antiderivative(Array::single(0))) == 0);
  }
}

TEST_CASE("constants and lines come back from every method") {
  const auto x = vector({0, 0.3, 1, 1.1, 4, 9});
  for (const auto method : kSmooth) {
    const Interpolant f(x, sampled(0, 1, 6, [](double) { return 2.5; }), {method});
    CHECK(largest_error(f, 0, 9, [](double) { return 2.5; }) < 1e-15 * f.amplification() + 1e-15);
    const Interpolant line(x, vector({1, 0.4, -1, -1.2, -7, -17}), {method});
    CHECK(largest_error(line, 0, 9, [](double t) { return 1 - 2 * t; }) < 2e-14 * line.amplification());
  }
}

TEST_CASE("the monotone method keeps order and bounds of random tables") {
  Random random(3);
  std::uniform_real_distribution<double> step(0, 1);
  for (int trial = 0; trial < 200; ++trial) {
    std::vector<double> x{0}, y{0};
    for (int k = 0; k < 9; ++k) {
      x.push_back(x.back() + 0.01 + std::pow(step(random), 4));
      y.push_back(y.back() + (step(random) < 0.2 ? 0 : std::pow(step(random), 6)));
    }
    const Interpolant f(vector(x), vector(y), {monotone});
    const auto fine =
        f.evaluate(sampled(0, x.back(), 500, [](double t) { return t; })).values.to_vector<double>();
    for (std::size_t k = 1; k < fine.size(); ++k) REQUIRE(fine[k] >= fine[k - 1] - 1e-14);
  }
}

TEST_CASE("akima's method leaves the line beside a step straight") {
  const Interpolant f(vector({0, 1, 2, 3, 4, 5, 6, 7}), vector({0, 0, 0, 0, 1, 1, 1, 1}), {akima});
  for (const double q : {0.5, 1.5, 2.5}) CHECK(at(f, q) == 0);
  for (const double q : {4.5, 6.5}) CHECK(at(f, q) == 1);
  CHECK(at(f, 3.5) == Approx(0.5));
}

TEST_CASE("a periodic spline joins its ends smoothly and goes round") {
  for (const Index n : {3, 4, 9}) {
    const auto x = sampled(0, 2, n, [](double t) { return t + 0.05 * t * (2 - t); });
    std::vector<double> y;
    for (const double t : x.to_vector<double>()) y.push_back(std::sin(std::acos(-1.0) * t) + t * (2 - t));
    y.back() = y.front();
    const Interpolant f(x, vector(y), {spline, SplineEnds::periodic, Outside::extend});
    const auto slope = [&](double q) { return single(f.derivative(Array::single(q))); };
    CHECK(slope(0) == Approx(slope(2)).margin(1e-12));
    CHECK(slope(1e-5) - slope(0) == Approx(slope(2) - slope(2 - 1e-5)).margin(1e-8));
    CHECK(at(f, 2.3) == Approx(at(f, 0.3)));
    CHECK(at(f, -5.7) == Approx(at(f, 0.3)));
    const auto area = [&](double q) { return single(f.antiderivative(Array::single(q))); };
    CHECK(area(4.3) == Approx(2 * area(2) + area(0.3)));
    CHECK(area(-1.7) == Approx(area(0.3) - area(2)));
  }
  CHECK(message_of([] {
          Interpolant(vector({0, 1, 2}), vector({0, 1, 0.5}), {spline, SplineEnds::periodic});
        }) == "a periodic table must begin and end with the same value, not with 0 and 0.5");
}

TEST_CASE("an inverse undoes its interpolant") {
  Random random(13);
  std::uniform_real_distribution<double> step(0.05, 1);
  for (const double direction : {1.0, -1.0})
    for (const auto method : {linear, monotone, akima, spline}) {
      std::vector<double> x{-1}, y{2};
      for (int k = 0; k < 8; ++k) {
        x.push_back(x.back() + 0.5 + 0.1 * step(random));
        y.push_back(y.back() + direction * (0.6 + 0.1 * step(random)));
      }
      const auto f = std::make_shared<Interpolant>(vector(x), vector(y), InterpolantOptions{method});
      const InverseInterpolant g(f);
      for (int k = 0; k <= 40; ++k) {
        const double v = y.front() + (y.back() - y.front()) * k / 40.0;
        CHECK(at(*f, single(g.evaluate(Array::single(v)))) == Approx(v).epsilon(1e-14).margin(1e-14));
      }
      CHECK(std::isnan(single(g.evaluate(Array::single(100)))));
    }
  const auto inverse_of = [](std::vector<double> y, InterpolationMethod method) {
    return message_of([&] {
      InverseInterpolant(
          std::make_shared<Interpolant>(vector({0, 1, 2, 3}), vector(y), InterpolantOptions{method}));
    });
  };
  CHECK(inverse_of({0, 2, 1, 3}, linear) ==
        "the table is not monotonic: it changes direction between 1 and 2");
  CHECK(inverse_of({0, 0.01, 5, 5.01}, spline) ==
        "the interpolant is not monotonic: it changes direction between 0 and 1");
  CHECK(inverse_of({0, 1, 2, 3}, nearest) == "an interpolant of the method \"nearest\" has no inverse");
}

TEST_CASE("the policy outside holds for slopes and integrals too") {
  const auto x = vector({0, 1, 2}), y = vector({0, 10, 40});
  const auto with = [&](Outside o, InterpolationMethod m) {
    return Interpolant(x, y, {m, SplineEnds::not_a_knot, o});
  };
  for (const auto method : kSmooth) {
    const auto held = with(Outside::clamp, method);
    CHECK(at(held, 3) == 40);
    CHECK(single(held.derivative(Array::single(3))) == 0);
    CHECK(single(held.antiderivative(Array::single(3))) ==
          Approx(single(held.antiderivative(Array::single(2))) + 40));
    CHECK(std::isnan(single(with(Outside::nan, method).antiderivative(Array::single(-1)))));
    CHECK_THROWS_AS(with(Outside::error, method).derivative(Array::single(-1)), Error);
  }
  // The parabola goes on: 10 q² has this table.
  for (const auto method : {spline, polynomial}) {
    const auto f = Interpolant(x, vector({0, 10, 40}), {method, SplineEnds::not_a_knot, Outside::extend});
    CHECK(at(f, 3) == Approx(90));
    CHECK(single(f.derivative(Array::single(-1))) == Approx(-20));
    CHECK(single(f.antiderivative(Array::single(3))) == Approx(90));
  }
}

TEST_CASE("the spline reproduces cubics and few points give their polynomial") {
  const auto cubic = [](double x) { return 2 - x + 0.5 * x * x - 0.25 * x * x * x; };
  for (const Index n : {4, 5, 9}) {
    // Unequal distances.
    const auto x = sampled(0, 1, n, [](double t) { return -1 + 4 * t * t + t; });
    std::vector<double> y;
    for (const double v : x.to_vector<double>()) y.push_back(cubic(v));
    CHECK(largest_error(Interpolant(x, vector(y), {InterpolationMethod::spline}), -1, 4, cubic) < 1e-12);
  }
  const Interpolant parabola(vector({0, 1, 3}), vector({0, 1, 9}), {InterpolationMethod::spline});
  CHECK(parabola.evaluate(Array::single(2)).values.to_vector<double>()[0] == Approx(4));
  const Interpolant line(vector({0, 2}), vector({1, 5}), {InterpolationMethod::spline});
  CHECK(line.evaluate(Array::single(1)).values.to_vector<double>()[0] == Approx(3));
}

TEST_CASE("the ends of a spline are as asked for") {
  const auto x = sampled(0, 4, 9, [](double v) { return v; }),
             y = sampled(0, 4, 9, [](double v) { return std::exp(-v) * std::cos(3 * v); });
  const auto value = [&](const Interpolant& f, double q) {
    return f.evaluate(Array::single(q)).values.to_vector<double>()[0];
  };
  const double h = 1e-4;
  for (const double end : {0.0, 4.0}) {
    const double inward = end == 0 ? 1 : -1;
    const Interpolant natural(x, y, {InterpolationMethod::spline, SplineEnds::natural}),
        clamped(x, y, {InterpolationMethod::spline, SplineEnds::clamped});
    const double curvature =
        (value(natural, end) - 2 * value(natural, end + inward * h) + value(natural, end + 2 * inward * h)) /
        (h * h);
    CHECK(std::fabs(curvature) < 1e-2);
    CHECK(std::fabs(value(clamped, end + inward * h) - value(clamped, end)) / h < 2e-3);
  }
}

TEST_CASE("interpolants pass through their points in any order of the table, one curve for each column") {
  Random random(5);
  for (const auto method : kMethods) {
    const auto x = vector({3, 1, 4, 1.5, 9, 2.6}), y = random_array(random, {6, 3});
    const Interpolant f(x, y, {method});
    const auto got = f.evaluate(x);
    CHECK(got.values.shape() == Shape{6, 3});
    for (Index k = 0; k < 18; ++k)
      CHECK(got.values.to_vector<double>()[k] == Approx(y.to_vector<double>()[k]));
    CHECK(f.evaluate(Array::single(2)).values.shape() == Shape{3});
    CHECK(f.evaluate(Array::filled<double>({2, 5}, 2.0)).values.shape() == Shape{2, 5, 3});
  }
}

TEST_CASE("queries outside of the table follow the policy") {
  const auto x = vector({0, 1, 2}), y = vector({0, 10, 40}), q = vector({-1, 0, 2, 3});
  const auto with = [&](Outside o) {
    return Interpolant(x, y, {InterpolationMethod::linear, SplineEnds::not_a_knot, o}).evaluate(q);
  };
  const auto nan = with(Outside::nan);
  CHECK(nan.outside == 2);
  CHECK_FALSE(nan.all_outside);
  CHECK(std::isnan(nan.values.to_vector<double>()[0]));
  CHECK(nan.values.to_vector<double>()[2] == 40);
  CHECK(with(Outside::clamp).values.to_vector<double>() == std::vector<double>{0, 0, 40, 40});
  CHECK(with(Outside::extend).values.to_vector<double>() == std::vector<double>{-10, 0, 40, 70});
  CHECK_THROWS_AS(with(Outside::error), Error);
  // Rounding does not carry a query out of the table.
  const Interpolant tenths(vector({0.1, 0.3}), vector({1, 3}), {});
  CHECK(tenths.evaluate(Array::single(0.1 + 0.2)).values.to_vector<double>()[0] == 3);
  CHECK(tenths.evaluate(Array::single(0.3 + 1e-12)).outside == 1);
}

TEST_CASE("hostile tables are refused with their reason") {
  const auto y = vector({1, 2, 3});
  CHECK(message_of([&] { Interpolant(vector({1, 2, 2}), y, {}); }) == "duplicate x value: 2");
  CHECK(message_of([&] {
          Interpolant(vector({1, NAN, 2}), y, {});
        }) == "x contains nan, the first at element 2");
  CHECK(message_of([&] {
          Interpolant(vector({1, 2}), y, {});
        }) == "the table has 2 abscissae, but values of shape 3");
  CHECK(message_of([&] { Interpolant(vector({1}), vector({1}), {}); }) ==
        "a table for interpolation needs at least 2 points, not 1");
  CHECK_THROWS_AS(Interpolant(Array(), Array(), {}), Error);
}

TEST_CASE("densifying keeps the ends and lies on the polyline") {
  const auto d = densify(vector({0, 1, 3}), vector({0, 10, 0}), 7);
  CHECK(d.x.to_vector<double>() == std::vector<double>{0, 0.5, 1, 1.5, 2, 2.5, 3});
  CHECK(d.y.to_vector<double>() == std::vector<double>{0, 5, 10, 7.5, 5, 2.5, 0});
  CHECK(densify(vector({3, 1}), vector({0, 1}), 3).x.to_vector<double>() == std::vector<double>{3, 2, 1});
  CHECK_THROWS_AS(densify(vector({0, 2, 1}), vector({0, 1, 2}), 5), Error);
}

TEST_CASE("tables near the ends of the range of numbers are interpolated as others") {
  const std::vector<double> x = {0, 1, 2, 3, 4}, y = {1, 5, -9, 17, -12}, q = {0.3, 2.6};
  const auto scaled = [](std::vector<double> v, double unit) {
    for (double& t : v) t *= unit;
    return Array::vector(v);
  };
  for (const auto method :
       {InterpolationMethod::linear, InterpolationMethod::nearest, InterpolationMethod::spline,
        InterpolationMethod::monotone, InterpolationMethod::akima, InterpolationMethod::polynomial}) {
    InterpolantOptions options;
    options.method = method;
    const auto plain = Interpolant(scaled(x, 1), scaled(y, 1), options).evaluate(scaled(q, 1)).values;
    for (const double unit : {4e307, 1e-300})
      for (const bool of_x : {true, false}) {
        if (!of_x && unit > 1e307) continue;
        const Interpolant f(scaled(x, of_x ? unit : 1), scaled(y, of_x ? 1 : unit), options);
        const auto values = f.evaluate(scaled(q, of_x ? unit : 1)).values;
        for (Index k = 0; k < 2; ++k)
          CHECK(values.at<double>({k}) / (of_x ? 1 : unit) == Approx(plain.at<double>({k})).epsilon(1e-12));
      }
    const auto large = Interpolant(scaled(x, 1), scaled(y, 1e307), options).evaluate(scaled(q, 1)).values;
    for (Index k = 0; k < 2; ++k)
      CHECK(large.at<double>({k}) / 1e307 == Approx(plain.at<double>({k})).epsilon(1e-12));
  }
  const Interpolant steep(scaled(x, 1e-300), scaled(x, 1e-10), {});
  CHECK(steep.derivative(scaled(q, 1e-300)).values.at<double>({0}) == Approx(1e290));
}
