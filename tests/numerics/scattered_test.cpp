// Interpolation on grids and between scattered points.
#include "numerics/scattered.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <functional>

#include "base/error.h"
#include "numerics/grid.h"
#include "numerics/helpers.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

std::vector<double> spaced(double from, double to, Index count, double stretch = 0) {
  std::vector<double> out;
  for (Index k = 0; k < count; ++k) {
    const double t = static_cast<double>(k) / static_cast<double>(count - 1);
    out.push_back(from + (to - from) * (t + stretch * t * (1 - t)));
  }
  return out;
}

template <class F>
Array table(const std::vector<double>& x, const std::vector<double>& y, F f) {
  std::vector<double> values;
  for (const double b : y)
    for (const double a : x) values.push_back(f(a, b));
  return Array::of<double>({static_cast<Index>(y.size()), static_cast<Index>(x.size())}, values);
}

double at(const GridInterpolant& f, std::vector<double> place) {
  std::vector<Array> q;
  for (const double c : place) q.push_back(Array::single(c));
  return f.evaluate(q).values.to_vector<double>()[0];
}

GridInterpolant grid(const std::vector<double>& x, const std::vector<double>& y, const Array& z, GridMethod m,
                     Outside o = Outside::nan) {
  return GridInterpolant(std::vector<Array>{Array::vector(x), Array::vector(y)}, z, m, o);
}

double smooth(double x, double y) { return std::sin(1.3 * x) * std::cos(0.9 * y) + 0.2 * x * y; }

}  // namespace

TEST_CASE("grids converge with their order, evenly spaced and not") {
  for (const double stretch : {0.0, 0.4}) {
    const auto error = [&](Index n, GridMethod m) {
      const auto x = spaced(0, 3, n, stretch), y = spaced(-1, 2, n, stretch);
      const auto f = grid(x, y, table(x, y, smooth), m);
      double worst = 0;
      for (const double a : spaced(0, 3, 83))
        for (const double b : spaced(-1, 2, 71))
          worst = std::max(worst, std::fabs(at(f, {a, b}) - smooth(a, b)));
      return worst;
    };
    CHECK(std::log2(error(17, GridMethod::linear) / error(33, GridMethod::linear)) == Approx(2).margin(0.2));
    CHECK(std::log2(error(17, GridMethod::cubic) / error(33, GridMethod::cubic)) == Approx(3).margin(0.4));
    CHECK(std::log2(error(17, GridMethod::nearest) / error(33, GridMethod::nearest)) ==
          Approx(1).margin(0.2));
  }
}

TEST_CASE("grids reproduce what their products can, in two and three axes") {
  const std::vector<double> x = {0, 0.5, 2, 3}, y = {-1, 0, 4}, z = {10, 11, 13, 20};
  const auto bilinear = [](double a, double b) { return 1 + a - 2 * b + 0.5 * a * b; };
  const auto parabolic = [](double a, double b) { return (1 - a + a * a) * (2 + b * b); };
  Random random(9);
  std::uniform_real_distribution<double> real(0, 1);
  for (int trial = 0; trial < 60; ++trial) {
    const double a = 3 * real(random), b = -1 + 5 * real(random), c = 10 + 10 * real(random);
    CHECK(at(grid(x, y, table(x, y, bilinear), GridMethod::linear), {a, b}) == Approx(bilinear(a, b)));
    CHECK(at(grid(x, y, table(x, y, parabolic), GridMethod::cubic), {a, b}) == Approx(parabolic(a, b)));
    // The weights sum to one.
    CHECK(at(grid(x, y, table(x, y, [](double, double) { return 7.0; }), GridMethod::cubic), {a, b}) ==
          Approx(7));
    std::vector<double> deep;
    for (const double k : z)
      for (const double j : y)
        for (const double i : x) deep.push_back(bilinear(i, j) * (k - 3));
    const GridInterpolant f(std::vector<Array>{vector(x), vector(y), vector(z)},
                            Array::of<double>({4, 3, 4}, deep), GridMethod::linear, Outside::nan);
    CHECK(at(f, {a, b, c}) == Approx(bilinear(a, b) * (c - 3)));
  }
}

TEST_CASE("the cubic grid has continuous slopes") {
  Random random(21);
  const std::vector<double> x = {0, 1, 1.5, 3, 4}, y = {0, 2, 3, 3.5};
  const auto f = grid(x, y, random_array(random, {4, 5}), GridMethod::cubic);
  const double h = 1e-6;
  for (const double b : {0.3, 2.2, 3.4})
    for (const double edge : {1.0, 1.5, 3.0})
      CHECK((at(f, {edge + h, b}) - at(f, {edge, b})) / h ==
            Approx((at(f, {edge, b}) - at(f, {edge - h, b})) / h).margin(1e-4));
}

TEST_CASE("grids take coordinates in any order and follow the policy outside") {
  const auto f = [](double a, double b) { return 10 * a + b; };
  const std::vector<double> x = {3, 1, 2}, y = {5, 0};
  for (const auto method : {GridMethod::linear, GridMethod::cubic}) {
    CHECK(at(grid(x, y, table(x, y, f), method), {2.5, 1}) == Approx(26));
    CHECK(at(grid(x, y, table(x, y, f), method, Outside::clamp), {9, -3}) == Approx(30));
    CHECK(at(grid(x, y, table(x, y, f), method, Outside::extend), {9, -3}) == Approx(87));
    CHECK(std::isnan(at(grid(x, y, table(x, y, f), method), {9, 1})));
  }
  CHECK(message_of([&] {
          at(grid(x, y, table(x, y, f), GridMethod::linear, Outside::error), {9, 1});
        }) == "the query (9, 1) is outside the grid, which covers x 1 … 3, y 0 … 5");
  CHECK(message_of([&] { grid(y, x, table(x, y, f), GridMethod::linear); }) ==
        "the values have shape 2×3 and the coordinates require 3×2: x varies along the last axis");
  CHECK(message_of([&] {
          grid({1, 1, 2}, y, table(x, y, f), GridMethod::linear);
        }) == "duplicate coordinate 1 in x");
  CHECK(message_of([&] { grid({1}, y, table({1}, y, f), GridMethod::linear); }) ==
        "a grid needs at least 2 coordinates in x, not 1");
  CHECK(message_of([&] {
          grid(x, y, table(x, y, [](double, double) { return NAN; }), GridMethod::linear);
        }) == "the array of values contains nan, the first at row 1, column 1");
}

namespace {

constexpr Kernel kKernels[] = {Kernel::multiquadric, Kernel::inverse_multiquadric,
                               Kernel::gaussian,     Kernel::thin_plate,
                               Kernel::cubic,        Kernel::linear};

Array random_points(Index count, Index dimensions, unsigned seed, double scale = 1, double shift = 0) {
  Random random(seed);
  std::uniform_real_distribution<double> real(0, 1);
  Array out(ElementType::float64, {count, dimensions});
  for (Index k = 0; k < out.size(); ++k) out.mutable_data<double>()[k] = shift + scale * real(random);
  return out;
}

template <class F>
Array values_at(const Array& points, F f) {
  Array out(ElementType::float64, {points.extent(0)});
  const auto d = points.extent(1);
  for (Index k = 0; k < out.size(); ++k) out.mutable_data<double>()[k] = f(points.data<double>() + k * d);
  return out;
}

double largest(const Array& a) {
  double worst = 0;
  for (const double x : a.to_vector<double>()) worst = std::max(worst, std::fabs(x));
  return worst;
}

double largest_error(const Array& got, const Array& wanted) {
  double worst = 0;
  for (Index k = 0; k < got.size(); ++k)
    worst = std::max(worst, std::fabs(got.at<double>({k}) - wanted.at<double>({k})));
  return worst;
}

// Root mean square of the differences.
double norm_of(const Array& got, const Array& wanted) {
  double sum = 0;
  for (Index k = 0; k < got.size(); ++k) sum += std::pow(got.at<double>({k}) - wanted.at<double>({k}), 2);
  return std::sqrt(sum / static_cast<double>(got.size()));
}

}  // namespace

TEST_CASE("radial functions go through their points in every number of coordinates and every unit") {
  for (const auto kernel : kKernels)
    for (const Index d : {1, 2, 3, 5})
      for (const double scale : {1.0, 1e-6, 1e7}) {
        const auto points = random_points(50, d, 4, scale, 3 * scale);
        const auto wave = [&](const double* p) { return std::sin(2 * p[0] / scale) + p[d - 1] / scale; };
        const auto values = values_at(points, wave);
        const RadialInterpolant f(points, values, {kernel});
        CAPTURE(name_of(kernel), d, scale);
        CHECK(largest(f.residual()) < 1e-7);
        CHECK(largest_error(f.evaluate(points), values) < 1e-7);
      }
}

TEST_CASE("the polynomial of a kernel comes back exactly, and smooth functions get nearer with more points") {
  const auto plane = [](const double* p) { return 3 - 2 * p[0] + 5 * p[1]; };
  const auto points = random_points(40, 2, 8), queries = random_points(200, 2, 9);
  for (const auto kernel : {Kernel::thin_plate, Kernel::cubic})
    CHECK(largest_error(RadialInterpolant(points, values_at(points, plane), {kernel}).evaluate(queries),
                        values_at(queries, plane)) < 1e-11);
  const auto constant = [](const double*) { return 4.0; };
  for (const auto kernel : {Kernel::multiquadric, Kernel::linear})
    CHECK(largest_error(RadialInterpolant(points, values_at(points, constant), {kernel}).evaluate(queries),
                        values_at(queries, constant)) < 1e-11);
  const auto hill = [](const double* p) {
    return std::exp(-3 * ((p[0] - 0.5) * (p[0] - 0.5) + p[1] * p[1]));
  };
  for (const auto kernel : kKernels) {
    const auto error = [&](Index n) {
      const auto sample = random_points(n, 2, 17);
      // What falls to zero converges for a radius that stays.
      const bool falls = tail_terms(kernel, 2) == 0;
      return norm_of(
          RadialInterpolant(sample, values_at(sample, hill), {kernel, falls ? 0.22 : 0}).evaluate(queries),
          values_at(queries, hill));
    };
    CAPTURE(name_of(kernel));
    CHECK(error(160) < 0.4 * error(40));
  }
}

TEST_CASE("smoothing lets go of noise, down to the plane") {
  const auto points = random_points(300, 2, 31);
  Random random(32);
  std::normal_distribution<double> noise(0, 0.2);
  const auto plane = [](const double* p) { return 1 + p[0] - p[1]; };
  const auto noisy = values_at(points, [&](const double* p) { return plane(p) + noise(random); });
  const auto boolean = values_at(points, plane);
  const auto error = [&](double smoothing) {
    RadialOptions o{Kernel::thin_plate};
    o.smoothing = smoothing;
    const RadialInterpolant f(points, noisy, o);
    CHECK(largest_error(f.residual(), values_at(points, [](const double*) { return 0.0; })) > 0.0);
    return largest_error(f.evaluate(points), boolean);
  };
  CHECK(error(1e6) < 0.1);
  CHECK(error(1e6) < error(0.1));
  // Points that coincide are refused, and may be smoothed.
  const auto twins = Array::of<double>({3, 1}, std::vector<double>{1, 2, 1});
  CHECK(message_of([&] { RadialInterpolant(twins, vector({1, 2, 3}), {}); }) == "points 1 and 3 coincide");
  RadialOptions o;
  o.smoothing = 0.5;
  CHECK(RadialInterpolant(twins, vector({1, 2, 3}), o).residual().at<double>({0}) ==
        Approx(-RadialInterpolant(twins, vector({1, 2, 3}), o).residual().at<double>({2})));
  // On one line a plane is not determined.
  const auto line = Array::of<double>({4, 2}, std::vector<double>{0, 0, 1, 1, 2, 2, 3, 3});
  CHECK(message_of([&] {
          RadialInterpolant(line, vector({1, 2, 3, 5}), {Kernel::thin_plate});
        }) == "the points do not determine the function");
}

TEST_CASE("the nearest neighbours are those of a plain search") {
  for (const Index d : {1, 2, 4}) {
    const auto points = random_points(400, d, 51), queries = random_points(60, d, 52);
    const auto found = nearest_neighbors(points, queries, 7);
    for (Index q = 0; q < 60; ++q) {
      std::vector<std::pair<double, Index>> all;
      for (Index p = 0; p < 400; ++p) {
        double sum = 0;
        for (Index k = 0; k < d; ++k)
          sum += std::pow(points.at<double>({p, k}) - queries.at<double>({q, k}), 2);
        all.emplace_back(std::sqrt(sum), p);
      }
      std::sort(all.begin(), all.end());
      for (Index k = 0; k < 7; ++k) {
        CHECK(found.positions.at<Index>({q, k}) == all[static_cast<std::size_t>(k)].second);
        CHECK(found.distances.at<double>({q, k}) == Approx(all[static_cast<std::size_t>(k)].first));
      }
    }
  }
  CHECK(message_of([] { nearest_neighbors(random_points(3, 2, 1), random_points(3, 2, 1), 4); }) ==
        "4 neighbours are requested, and there are 3 points");
  CHECK_THROWS_AS(nearest_neighbors(random_points(3, 2, 1), random_points(3, 3, 1), 1), Error);
}
