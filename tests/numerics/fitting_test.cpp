// Fits: exact ones, their uncertainties by closed forms, published problems.
#include "numerics/fitting.h"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "numerics/helpers.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "reference/arrays.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

namespace {

// A model of one variable at points.
template <class F>
Model at_each(const std::vector<double>& x, F f) {
  return [x, f](std::span<const double> p) {
    std::vector<double> out;
    for (const double t : x) out.push_back(f(t, p));
    return out;
  };
}

}  // namespace

TEST_CASE("a line has the slope, intercept and errors of the centred sums") {
  Random random(81);
  std::normal_distribution<double> normal;
  for (int round = 0; round < 30; ++round) {
    const auto n = static_cast<std::size_t>(pick(random, 3, 20));
    std::vector<double> x(n), y(n);
    for (std::size_t k = 0; k < n; ++k) {
      x[k] = 5 * normal(random);
      y[k] = 2 * x[k] - 1 + normal(random);
    }
    double mx = 0, my = 0, sxx = 0, sxy = 0, rss = 0, tss = 0;
    for (std::size_t k = 0; k < n; ++k) {
      mx += x[k] / static_cast<double>(n);
      my += y[k] / static_cast<double>(n);
    }
    for (std::size_t k = 0; k < n; ++k) {
      sxx += (x[k] - mx) * (x[k] - mx);
      sxy += (x[k] - mx) * (y[k] - my);
      tss += (y[k] - my) * (y[k] - my);
    }
    const double slope = sxy / sxx, intercept = my - slope * mx;
    for (std::size_t k = 0; k < n; ++k) rss += std::pow(y[k] - slope * x[k] - intercept, 2);
    const auto fit = polynomial_fit(vector(x), vector(y), 1, {});
    CHECK(fit.coefficients[0] == Approx(slope));
    CHECK(fit.coefficients[1] == Approx(intercept));
    const double variance = rss / static_cast<double>(n - 2);
    CHECK(fit.standard_errors()[0] == Approx(std::sqrt(variance / sxx)));
    CHECK(fit.standard_errors()[1] ==
          Approx(std::sqrt(variance * (1 / static_cast<double>(n) + mx * mx / sxx))));
    CHECK(fit.r_squared == Approx(1 - rss / tss));
    CHECK(fit.residual_norm == Approx(std::sqrt(rss)));
    // A weight of two is the point taken twice, but for the count of points.
    auto twice_x = x, twice_y = y;
    twice_x.push_back(x[0]);
    twice_y.push_back(y[0]);
    std::vector<double> weights(n, 1.0);
    weights[0] = 2;
    const auto weighted = polynomial_fit(vector(x), vector(y), 1, vector(weights));
    const auto repeated = polynomial_fit(vector(twice_x), vector(twice_y), 1, {});
    CHECK(weighted.coefficients[0] == Approx(repeated.coefficients[0]));
    CHECK(weighted.residual_norm == Approx(repeated.residual_norm));
  }
}

TEST_CASE("the published Wampler problems are reached to many digits") {
  // R. H. Wampler, J. Am. Stat. Assoc. 65, 1970: x = 0 … 20, all coefficients 1, and their tenth powers.
  std::vector<double> x, one, two;
  for (int k = 0; k <= 20; ++k) {
    double sum = 0, tenth = 0;
    for (int p = 0; p <= 5; ++p) {
      sum += std::pow(k, p);
      tenth += std::pow(0.1, p) * std::pow(k, p);
    }
    x.push_back(k);
    one.push_back(sum);
    two.push_back(tenth);
  }
  const auto first = polynomial_fit(vector(x), vector(one), 5, {});
  for (const double c : first.coefficients) CHECK(c == Approx(1).epsilon(1e-9));
  const auto second = polynomial_fit(vector(x), vector(two), 5, {});
  for (std::size_t p = 0; p <= 5; ++p)
    CHECK(second.coefficients[5 - p] == Approx(std::pow(0.1, static_cast<double>(p))).epsilon(1e-9));
}

TEST_CASE("columns that depend on each other are noticed") {
  const auto fit = linear_fit(Array::filled<double>({4, 2}, 1.0), vector({1, 2, 3, 4}), {});
  CHECK(std::isinf(fit.condition));
  CHECK(fit.coefficients[0] + fit.coefficients[1] == Approx(2.5));
  CHECK_THROWS_AS(polynomial_fit(vector({1, 2}), vector({1, 2}), 2, {}), Error);
  CHECK_THROWS_AS(polynomial_fit(vector({1, NAN}), vector({1, 2}), 1, {}), Error);
  CHECK_THROWS_AS(polynomial_fit(vector({1, 2}), vector({1, 2}), 1, vector({1, -1})), Error);
}

TEST_CASE("models come back to the parameters that made the points") {
  std::vector<double> t, y;
  for (int k = 0; k < 20; ++k) {
    t.push_back(0.5 * k);
    y.push_back(3 * std::exp(-0.4 * t.back()) + 1);
  }
  const Model model =
      at_each(t, [](double x, std::span<const double> p) { return p[0] * std::exp(-p[1] * x) + p[2]; });
  const auto fit = model_fit(model, vector(y), {1, 1, 0}, {});
  CHECK(fit.converged);
  CHECK(fit.coefficients[0] == Approx(3));
  CHECK(fit.coefficients[1] == Approx(0.4));
  CHECK(fit.coefficients[2] == Approx(1));
  CHECK(fit.r_squared == Approx(1));
  // A model that is a line has the line's errors.
  std::vector<double> noisy;
  for (int k = 0; k < 20; ++k) noisy.push_back(2 * t[static_cast<std::size_t>(k)] + ((k * 7) % 5 - 2) * 0.1);
  const Model line = at_each(t, [](double x, std::span<const double> p) { return p[0] * x + p[1]; });
  const auto by_model = model_fit(line, vector(noisy), {0, 0}, {});
  const auto direct = polynomial_fit(vector(t), vector(noisy), 1, {});
  for (std::size_t k = 0; k < 2; ++k) {
    CHECK(by_model.coefficients[k] == Approx(direct.coefficients[k]).margin(1e-9));
    CHECK(by_model.standard_errors()[k] == Approx(direct.standard_errors()[k]).epsilon(1e-6));
  }
  CHECK_THROWS_AS(model_fit(
                      [](std::span<const double>) {
                        return std::vector<double>{NAN, NAN};
                      },
                      vector({1, 2}), {1}, {}),
                  Error);
  CHECK_THROWS_AS(model_fit(line, vector({1}), {1, 2}, {}), Error);
}

TEST_CASE("Student's factors as in the tables") {
  CHECK(student_factor(0.95, 1) == Approx(12.706).epsilon(1e-4));
  CHECK(student_factor(0.95, 10) == Approx(2.228).epsilon(1e-3));
  CHECK(student_factor(0.99, 30) == Approx(2.750).epsilon(1e-3));
  CHECK(std::isnan(student_factor(0.95, 0)));
  CHECK_THROWS_AS(student_factor(1.5, 3), Error);
}

namespace {

Array straight(double slope, double offset, Index n, double (*off)(Index)) {
  Array y(ElementType::float64, {n});
  for (Index k = 0; k < n; ++k)
    y.mutable_data<double>()[k] = slope * static_cast<double>(k) + offset + off(k);
  return y;
}
Model line_model(Index n) {
  return [n](std::span<const double> p) {
    std::vector<double> out;
    for (Index k = 0; k < n; ++k) out.push_back(p[0] * static_cast<double>(k) + p[1]);
    return out;
  };
}

}  // namespace

TEST_CASE("fits keep parameters in bounds and where they are fixed") {
  const auto y = straight(2, 3, 20, [](Index k) { return std::sin(5.0 * static_cast<double>(k)); });
  FitOptions options;
  options.low = {-10, -10};
  options.high = {1.5, 10};
  const auto held = model_fit(line_model(20), y, {0, 0}, options);
  CHECK(held.coefficients[0] == 1.5);
  // The best offset beside a slope of 1.5 is the mean of the rest.
  double mean = 0;
  for (Index k = 0; k < 20; ++k) mean += (y.at<double>({k}) - 1.5 * static_cast<double>(k)) / 20;
  CHECK(held.coefficients[1] == Approx(mean).epsilon(1e-9));
  CHECK(held.standard_errors()[0] == 0);
  options = {};
  options.fixed = {false, true};
  const auto fixed = model_fit(line_model(20), y, {0, 7}, options);
  CHECK(fixed.coefficients[1] == 7);
  CHECK(fixed.degrees_of_freedom == 19);
  double xy = 0, xx = 0;
  for (Index k = 0; k < 20; ++k) {
    xy += static_cast<double>(k) * (y.at<double>({k}) - 7);
    xx += static_cast<double>(k * k);
  }
  CHECK(fixed.coefficients[0] == Approx(xy / xx).epsilon(1e-12));
  options.fixed = {true, true};
  CHECK(model_fit(line_model(20), y, {1, 7}, options).coefficients == std::vector<double>{1, 7});
}

TEST_CASE("known uncertainties set the errors of a fit, whatever is left over") {
  const auto y = straight(2, 3, 10, [](Index k) { return k % 2 ? 0.5 : -0.5; });
  FitOptions options;
  options.weights = Array::filled<double>({10}, 1 / (0.1 * 0.1));
  const auto scaled = model_fit(line_model(10), y, {0, 0}, options);
  options.weights_are_known = true;
  const auto known = model_fit(line_model(10), y, {0, 0}, options);
  // The closed form: sigma / sqrt(sum of (x - mean)^2).
  CHECK(known.standard_errors()[0] == Approx(0.1 / std::sqrt(82.5)).epsilon(1e-9));
  CHECK(scaled.standard_errors()[0] > 3 * known.standard_errors()[0]);
  CHECK(known.coefficients[0] == Approx(scaled.coefficients[0]));
}

TEST_CASE("robust losses pass over outliers") {
  const auto y = straight(
      2, 3, 40, [](Index k) { return k % 9 == 4 ? 500.0 : 0.1 * std::sin(7.0 * static_cast<double>(k)); });
  for (const auto loss : {Loss::huber, Loss::cauchy, Loss::bisquare}) {
    FitOptions options;
    options.loss = loss;
    const auto fit = model_fit(line_model(40), y, {0, 0}, options);
    CAPTURE(static_cast<int>(loss));
    CHECK(fit.converged);
    CHECK(fit.coefficients[0] == Approx(2).margin(0.02));
    CHECK(fit.coefficients[1] == Approx(3).margin(0.3));
  }
  CHECK(std::fabs(model_fit(line_model(40), y, {0, 0}, FitOptions{}).coefficients[1] - 3) > 20);
}

TEST_CASE("standard errors are the spread of fits to many samples, with every loss and with outliers") {
  std::mt19937_64 random(23);
  std::normal_distribution<double> normal;
  const int samples = repeats(250), n = 40;
  for (const bool outliers : {false, true})
    for (const auto loss : {Loss::squares, Loss::huber, Loss::cauchy, Loss::bisquare}) {
      double sum = 0, squares = 0, stated = 0;
      for (int k = 0; k < samples; ++k) {
        Array y(ElementType::float64, {n});
        for (int i = 0; i < n; ++i)
          y.mutable_data<double>()[i] = 1 + 2 * i + (outliers && i % 10 == 3 ? 15 : 1) * normal(random);
        FitOptions options;
        options.loss = loss;
        const auto fit = model_fit(line_model(n), y, {1, 0}, options);
        sum += fit.coefficients[0];
        squares += std::pow(fit.coefficients[0] - 2, 2);
        stated += std::pow(fit.standard_errors()[0], 2);
      }
      CAPTURE(static_cast<int>(loss), outliers);
      CHECK(sum / samples == Approx(2).margin(0.05));
      CHECK(std::sqrt(stated / squares) == Approx(1).margin(0.2));
    }
}
