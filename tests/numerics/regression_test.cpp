// Regression, local regression and designs of points.
#include "numerics/regression.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <set>

#include "array/rearrange.h"
#include "numerics/designs.h"
#include "numerics/distributions.h"
#include "numerics/helpers.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

TEST_CASE("regression has leverages, distances and errors that leaving points out shows") {
  std::mt19937_64 random(4);
  std::normal_distribution<double> normal;
  constexpr Index n = 25;
  Array x(ElementType::float64, {n, 3}), y(ElementType::float64, {n});
  std::vector<double> weights;
  for (Index k = 0; k < n; ++k) {
    const double u = normal(random), v = normal(random);
    double* row = x.mutable_data<double>() + 3 * k;
    row[0] = 1, row[1] = u, row[2] = v;
    y.mutable_data<double>()[k] = 2 + 3 * u - v + normal(random);
    weights.push_back(1 + static_cast<double>(k % 3));
  }
  for (const auto& w : {Array(), Array::vector(weights)}) {
    const auto all = regression(x, y, w);
    double sum = 0;
    for (const double h : all.leverage) sum += h;
    CHECK(sum == Approx(3).epsilon(1e-12));
    // Without point i the fit there moves by r h / (1 - h), and Cook's distance is that of all fitted values.
    for (const Index i : {0, 7, 24}) {
      Array rest_x(ElementType::float64, {n - 1, 3}), rest_y(ElementType::float64, {n - 1});
      std::vector<double> rest_w;
      for (Index k = 0, to = 0; k < n; ++k) {
        if (k == i) continue;
        for (Index j = 0; j < 3; ++j) rest_x.mutable_data<double>()[3 * to + j] = x.at<double>({k, j});
        rest_y.mutable_data<double>()[to++] = y.at<double>({k});
        rest_w.push_back(weights[static_cast<std::size_t>(k)]);
      }
      const auto less = regression(rest_x, rest_y, w.size() ? Array::vector(rest_w) : Array());
      const auto at = static_cast<std::size_t>(i);
      double moved = 0, distance = 0;
      for (Index k = 0; k < n; ++k) {
        double change = 0;
        for (Index j = 0; j < 3; ++j)
          change += x.at<double>({k, j}) * (all.fit.coefficients[static_cast<std::size_t>(j)] -
                                            less.fit.coefficients[static_cast<std::size_t>(j)]);
        if (k == i) moved = change;
        distance += change * change * (w.size() ? weights[static_cast<std::size_t>(k)] : 1);
      }
      CHECK(moved == Approx(all.residual[at] * all.leverage[at] / (1 - all.leverage[at])).epsilon(1e-9));
      CHECK(all.cook[at] == Approx(distance / (3 * all.residual_std * all.residual_std)).epsilon(1e-9));
    }
  }
  // A single variable: F is the square of t.
  Array line(ElementType::float64, {n, 2});
  for (Index k = 0; k < n; ++k) {
    line.mutable_data<double>()[2 * k] = 1;
    line.mutable_data<double>()[2 * k + 1] = x.at<double>({k, 1});
  }
  const auto r = regression(line, y, Array());
  CHECK(r.f == Approx(std::pow(r.fit.coefficients[1] / r.fit.standard_errors()[1], 2)).epsilon(1e-10));
}

TEST_CASE("intervals of regression cover as often as they say") {
  std::mt19937_64 random(6);
  std::normal_distribution<double> normal;
  const int trials = repeats(1000);
  int inside = 0, rejected = 0;
  for (int k = 0; k < trials; ++k) {
    Array x(ElementType::float64, {15, 2}), y(ElementType::float64, {15});
    for (Index i = 0; i < 15; ++i) {
      x.mutable_data<double>()[2 * i] = 1;
      x.mutable_data<double>()[2 * i + 1] = static_cast<double>(i);
      y.mutable_data<double>()[i] = 4 + normal(random);
    }
    const auto r = regression(x, y, Array());
    inside += std::fabs(r.fit.coefficients[0] - 4) <= student_factor(0.95, 13) * r.fit.standard_errors()[0];
    rejected += r.f_p < 0.05;
  }
  CHECK(inside > 0.92 * trials);
  CHECK(rejected < 0.08 * trials);
}

TEST_CASE("local regression keeps polynomials of its degree and is not moved by outliers") {
  std::vector<double> x, y;
  std::mt19937_64 random(2);
  for (int k = 0; k < 80; ++k) x.push_back(static_cast<double>(random() % 1000) / 100);
  for (const int degree : {0, 1, 2}) {
    y.clear();
    for (const double v : x) y.push_back(degree == 0 ? 5 : degree == 1 ? 2 * v + 1 : v * v - v);
    const LocalRegression f(x, y, 0.4, degree, 0);
    for (const double q : {0.5, 3.3, 9.0})
      CHECK(f.at(q) == Approx(degree == 0   ? 5
                              : degree == 1 ? 2 * q + 1
                                            : q * q - q)
                           .epsilon(1e-9)
                           .margin(1e-9));
  }
  for (double& v : y) v = 0;
  for (std::size_t k = 0; k < x.size(); ++k)
    y[k] = 2 * x[k] + 1 + 0.01 * std::sin(100 * x[k]) + (k % 10 == 3 ? 50 : 0);
  CHECK(LocalRegression(x, y, 0.5, 1, 4).at(5) == Approx(11).margin(0.05));
  CHECK(std::fabs(LocalRegression(x, y, 0.5, 1, 0).at(5) - 11) > 0.2);
  CHECK(LocalRegression({1, 1, 1, 1}, {2, 4, 2, 4}, 1, 1, 0).at(1) == Approx(3));
  CHECK(message_of([] {
          LocalRegression({1, 2, 3}, {1, 2, 3}, 0.5, 1, 0);
        }) == "the span contains 2 of the points, and degree 1 needs at least 3");
}

TEST_CASE("Sobol's points fill every elementary interval, shifted too, and Latin hypercubes every row") {
  RandomStream random(3);
  for (const bool shifted : {false, true}) {
    const auto p = sobol_points(256, 5, shifted ? &random : nullptr);
    for (Index j = 0; j < 5; ++j) {
      std::set<int> seen;
      for (Index k = 0; k < 256; ++k) seen.insert(static_cast<int>(256 * p.at<double>({k, j})));
      CHECK(seen.size() == 256);
    }
    std::set<int> cells;
    for (Index k = 0; k < 256; ++k)
      cells.insert(16 * static_cast<int>(16 * p.at<double>({k, 0})) +
                   static_cast<int>(16 * p.at<double>({k, 1})));
    CHECK(cells.size() == 256);
  }
  const auto l = latin_hypercube(50, 3, random);
  for (Index j = 0; j < 3; ++j) {
    std::set<int> seen;
    for (Index k = 0; k < 50; ++k) seen.insert(static_cast<int>(50 * l.at<double>({k, j})));
    CHECK(seen.size() == 50);
  }
  CHECK(message_of([] { sobol_points(1, 5000, nullptr); }) ==
        "the number of coordinates must be from 1 to 3667, not 5000");
}
