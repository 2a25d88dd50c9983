// The numerical methods against slow, obvious twins: dense systems, plain sums, sorting by hand.
#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include "array/elementwise.h"
#include "numerics/interpolation.h"
#include "numerics/linear_algebra.h"
#include "numerics/statistics.h"
#include "reference/arrays.h"

using namespace quill;
using namespace quill::test;

namespace {

// Gaussian elimination with complete rows, in long double.
std::vector<long double> eliminate(std::vector<std::vector<long double>> a, std::vector<long double> b) {
  const auto n = b.size();
  for (std::size_t k = 0; k < n; ++k) {
    std::size_t pivot = k;
    for (std::size_t r = k; r < n; ++r)
      if (std::fabs(a[r][k]) > std::fabs(a[pivot][k])) pivot = r;
    std::swap(a[k], a[pivot]);
    std::swap(b[k], b[pivot]);
    for (std::size_t r = k + 1; r < n; ++r) {
      const auto w = a[r][k] / a[k][k];
      for (std::size_t c = k; c < n; ++c) a[r][c] -= w * a[k][c];
      b[r] -= w * b[k];
    }
  }
  std::vector<long double> x(n);
  for (std::size_t k = n; k-- > 0;) {
    x[k] = b[k];
    for (std::size_t c = k + 1; c < n; ++c) x[k] -= a[k][c] * x[c];
    x[k] /= a[k][k];
  }
  return x;
}

// The spline as n - 1 cubics with 4 (n - 1) unknown coefficients, all conditions written into one dense
// system.
class DenseSpline {
 public:
  DenseSpline(const std::vector<double>& x, const std::vector<double>& y, SplineEnds ends) : x_(x) {
    const auto pieces = x.size() - 1, n = 4 * pieces;
    std::vector<std::vector<long double>> a;
    std::vector<long double> b;
    const auto condition = [&](long double right) -> std::vector<long double>& {
      a.emplace_back(n, 0.0L);
      b.push_back(right);
      return a.back();
    };
    // The derivative of order d of piece k at a distance t from its start.
    const auto put = [&](std::vector<long double>& row, std::size_t k, long double t, int d,
                         long double sign) {
      for (int power = d; power < 4; ++power) {
        long double factor = 1;
        for (int i = 0; i < d; ++i) factor *= power - i;
        row[4 * k + static_cast<std::size_t>(power)] += sign * factor * std::pow(t, power - d);
      }
    };
    for (std::size_t k = 0; k < pieces; ++k) {
      const long double h = x[k + 1] - x[k];
      put(condition(y[k]), k, 0, 0, 1);
      put(condition(y[k + 1]), k, h, 0, 1);
      if (k + 1 == pieces) break;
      for (const int d : {1, 2}) {
        auto& row = condition(0);
        put(row, k, h, d, 1);
        put(row, k + 1, 0, d, -1);
      }
    }
    const long double last = x[pieces] - x[pieces - 1];
    if (ends == SplineEnds::not_a_knot) {
      auto& first = condition(0);
      put(first, 0, x[1] - x[0], 3, 1);
      put(first, 1, 0, 3, -1);
      auto& second = condition(0);
      put(second, pieces - 2, x[pieces - 1] - x[pieces - 2], 3, 1);
      put(second, pieces - 1, 0, 3, -1);
    } else {
      const int d = ends == SplineEnds::natural ? 2 : 1;
      put(condition(0), 0, 0, d, 1);
      put(condition(0), pieces - 1, last, d, 1);
    }
    coefficients_ = eliminate(a, b);
  }

  double operator()(double q) const {
    std::size_t k = 0;
    while (k + 2 < x_.size() && q > x_[k + 1]) ++k;
    long double value = 0;
    for (int power = 3; power >= 0; --power)
      value = value * (q - x_[k]) + coefficients_[4 * k + static_cast<std::size_t>(power)];
    return static_cast<double>(value);
  }

 private:
  std::vector<double> x_;
  std::vector<long double> coefficients_;
};

}  // namespace

TEST_CASE("the spline is the one of a dense system with all its conditions") {
  Random random(61);
  std::uniform_real_distribution<double> step(0.2, 2), value(-3, 3);
  for (int round = 0; round < 60; ++round) {
    std::vector<double> x{value(random)}, y{value(random)};
    const auto n = static_cast<std::size_t>(pick(random, 4, 9));
    while (x.size() < n) {
      x.push_back(x.back() + step(random));
      y.push_back(value(random));
    }
    for (const auto ends : {SplineEnds::not_a_knot, SplineEnds::natural, SplineEnds::clamped}) {
      const DenseSpline twin(x, y, ends);
      const Interpolant spline(Array::vector(x), Array::vector(y), {InterpolationMethod::spline, ends});
      for (int k = 0; k <= 50; ++k) {
        const double q = x.front() + (x.back() - x.front()) * k / 50;
        CAPTURE(n, static_cast<int>(ends), q);
        CHECK(*spline.evaluate(Array::single(q)).values.data<double>() ==
              Approx(twin(q)).epsilon(1e-8).margin(1e-9));
      }
    }
  }
}

TEST_CASE("solutions agree with elimination in long double") {
  Random random(62);
  std::uniform_real_distribution<double> real(-1, 1);
  for (int round = 0; round < 60; ++round) {
    const auto n = pick(random, 1, 12);
    Array a(ElementType::float64, {n, n}), b(ElementType::float64, {n});
    std::vector<std::vector<long double>> rows(static_cast<std::size_t>(n));
    std::vector<long double> right;
    for (Index i = 0; i < n; ++i) {
      for (Index k = 0; k < n; ++k) {
        const double v = real(random) + (i == k ? 3 : 0);
        a.mutable_data<double>()[i * n + k] = v;
        rows[static_cast<std::size_t>(i)].push_back(v);
      }
      b.mutable_data<double>()[i] = real(random);
      right.push_back(b.data<double>()[i]);
    }
    const auto x = solve(a, b).x.to_vector<double>();
    const auto expected = eliminate(rows, right);
    for (std::size_t k = 0; k < x.size(); ++k)
      CHECK(x[k] == Approx(static_cast<double>(expected[k])).epsilon(1e-10));
  }
}

TEST_CASE("quantiles and means along axes agree with sorting by hand, in every layout") {
  Random random(63);
  for (int round = 0; round < 300; ++round) {
    const auto a = in_random_layout(random, random_array(random, {pick(random, 1, 5), pick(random, 1, 5)}));
    const auto p = plain(a);
    const auto rows = p.shape[0], columns = p.shape[1];
    const double share = static_cast<double>(pick(random, 0, 8)) / 8;
    for (const int axis : {0, 1}) {
      const auto lines = axis == 0 ? columns : rows, length = axis == 0 ? rows : columns;
      const StatisticsOptions options{{axis, false}, false};
      const auto quantiles = quantile(a, share, options).to_vector<double>(),
                 means = mean(a, options).to_vector<double>();
      const auto spreads = variance(a, options).to_vector<double>();
      for (Index l = 0; l < lines; ++l) {
        std::vector<double> line;
        for (Index k = 0; k < length; ++k)
          line.push_back(p.values[static_cast<std::size_t>(axis == 0 ? k * columns + l : l * columns + k)]);
        double sum = 0, squares = 0;
        for (const double v : line) sum += v;
        const double m = sum / static_cast<double>(length);
        for (const double v : line) squares += (v - m) * (v - m);
        std::sort(line.begin(), line.end());
        const double at = share * static_cast<double>(length - 1);
        const auto below = static_cast<std::size_t>(at), above = std::min(below + 1, line.size() - 1);
        const auto place = static_cast<std::size_t>(l);
        CHECK(quantiles[place] ==
              Approx(line[below] + (at - static_cast<double>(below)) * (line[above] - line[below]))
                  .margin(1e-12));
        CHECK(means[place] == Approx(m).margin(1e-12));
        if (length > 1)
          CHECK(spreads[place] == Approx(squares / static_cast<double>(length - 1)).margin(1e-12));
        else
          CHECK(std::isnan(spreads[place]));
      }
    }
  }
}
