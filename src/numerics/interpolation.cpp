#include "numerics/interpolation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "array/strided.h"
#include "numerics/linear_algebra.h"

namespace quill {

std::string_view name_of(InterpolationMethod method) {
  return method == InterpolationMethod::linear ? "linear" : "spline";
}

Interpolant::Interpolant(const Array& x, const Array& y, const InterpolantOptions& options)
    : options_(options) {
  if (x.axes() != 1)
    fail(fmt::format("the abscissae are a vector, not an array of shape {}", text_of(x.shape())));
  if (y.axes() < 1 || y.axes() > 2 || y.extent(0) != x.size())
    fail(fmt::format("the table has {} abscissae and values of shape {}", x.size(), text_of(y.shape())),
         y.axes() == 2 && y.extent(1) == x.size() ? "one curve for each column: y'" : "");
  if (x.size() < 2) fail(fmt::format("a table for interpolation has at least 2 points, not {}", x.size()));
  refuse_nan(x, "x");
  refuse_nan(y, "y");
  single_ = y.axes() == 1;
  curves_ = single_ ? 1 : y.extent(1);
  const auto xs = x.to_vector<double>(), ys = y.to_vector<double>();
  std::vector<std::size_t> order(xs.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return xs[a] < xs[b]; });
  for (const auto k : order) {
    if (!x_.empty() && x_.back() == xs[k])
      fail(fmt::format("the abscissa {} stands twice in the table", shortest(xs[k])),
           "every abscissa has one value");
    if (std::isinf(xs[k])) fail("an abscissa is infinite");
    x_.push_back(xs[k]);
    for (Index c = 0; c < curves_; ++c)
      y_.push_back(ys[k * static_cast<std::size_t>(curves_) + static_cast<std::size_t>(c)]);
  }
  if (options_.method == InterpolationMethod::spline) make_moments();
}

// Second derivatives M at the points from the tridiagonal system of continuous slopes,
//   h[k-1] M[k-1] + 2 (h[k-1] + h[k]) M[k] + h[k] M[k+1] = 6 (d[k] - d[k-1]),
// with one more condition at each end.
void Interpolant::make_moments() {
  const auto n = x_.size();
  moments_.assign(n * static_cast<std::size_t>(curves_), 0.0);
  if (n == 2 && options_.ends != SplineEnds::clamped) return;
  std::vector<double> h(n - 1), d(n - 1), m(n), low(n), mid(n), high(n), right(n);
  for (std::size_t k = 0; k + 1 < n; ++k) h[k] = x_[k + 1] - x_[k];
  for (Index c = 0; c < curves_; ++c) {
    for (std::size_t k = 0; k + 1 < n; ++k) d[k] = (y(k + 1, c) - y(k, c)) / h[k];
    for (std::size_t k = 1; k + 1 < n; ++k) {
      low[k] = h[k - 1];
      mid[k] = 2 * (h[k - 1] + h[k]);
      high[k] = h[k];
      right[k] = 6 * (d[k] - d[k - 1]);
    }
    low[0] = high[n - 1] = 0;
    mid[0] = mid[n - 1] = 1;
    high[0] = low[n - 1] = right[0] = right[n - 1] = 0;  // natural: no curvature at the ends
    const bool knot = options_.ends == SplineEnds::not_a_knot;
    if (options_.ends == SplineEnds::clamped) {  // no slope at the ends
      mid[0] = 2 * h[0];
      high[0] = h[0];
      right[0] = 6 * d[0];
      mid[n - 1] = 2 * h[n - 2];
      low[n - 1] = h[n - 2];
      right[n - 1] = -6 * d[n - 2];
    } else if (knot && n == 3) {
      for (std::size_t k = 0; k < 3; ++k)
        moments_[k * static_cast<std::size_t>(curves_) + static_cast<std::size_t>(c)] =
            2 * (d[1] - d[0]) / (h[0] + h[1]);
      continue;
    } else if (knot) {
      // The third derivative is continuous at the second and the last but one point; M[0] and M[n-1]
      // are eliminated.
      mid[1] += h[0] * (1 + h[0] / h[1]);
      high[1] -= h[0] * h[0] / h[1];
      low[1] = 0;
      mid[n - 2] += h[n - 2] * (1 + h[n - 2] / h[n - 3]);
      low[n - 2] -= h[n - 2] * h[n - 2] / h[n - 3];
      high[n - 2] = 0;
    }
    for (std::size_t k = 1; k < n; ++k) {
      const double w = low[k] / mid[k - 1];
      mid[k] -= w * high[k - 1];
      right[k] -= w * right[k - 1];
    }
    m[n - 1] = right[n - 1] / mid[n - 1];
    for (std::size_t k = n - 1; k-- > 0;) m[k] = (right[k] - high[k] * m[k + 1]) / mid[k];
    if (knot) {
      m[0] = m[1] - h[0] / h[1] * (m[2] - m[1]);
      m[n - 1] = m[n - 2] + h[n - 2] / h[n - 3] * (m[n - 2] - m[n - 3]);
    }
    for (std::size_t k = 0; k < n; ++k)
      moments_[k * static_cast<std::size_t>(curves_) + static_cast<std::size_t>(c)] = m[k];
  }
}

double Interpolant::piece(std::size_t k, Index c, double q) const {
  const double h = x_[k + 1] - x_[k], b = (q - x_[k]) / h, a = 1 - b;
  const double line = q == x_[k + 1] ? y(k + 1, c) : a * y(k, c) + b * y(k + 1, c);
  if (options_.method == InterpolationMethod::linear) return line;
  const auto at = [&](std::size_t i) {
    return moments_[i * static_cast<std::size_t>(curves_) + static_cast<std::size_t>(c)];
  };
  return line + ((a * a * a - a) * at(k) + (b * b * b - b) * at(k + 1)) * (h * h) / 6;
}

Interpolant::Result Interpolant::evaluate(const Array& queries) const {
  const auto q = queries.converted(ElementType::float64).compact();
  Shape shape = q.shape();
  if (!single_) shape.push_back(curves_);
  Result result{Array(ElementType::float64, shape)};
  double* to = result.values.mutable_data<double>();
  const double* from = q.data<double>();
  const double slack =
      4 * std::numeric_limits<double>::epsilon() * std::max(std::fabs(low()), std::fabs(high()));
  std::size_t k = 0;
  for (Index i = 0; i < q.size(); ++i) {
    if (i % 65536 == 0) poll_interrupt();
    double t = from[i];
    // A query that has left the table by rounding alone is one at its end.
    if (t < low() && t >= low() - slack) t = low();
    if (t > high() && t <= high() + slack) t = high();
    const bool is_outside = t < low() || t > high();
    if (is_outside) {
      ++result.outside;
      if (options_.outside == Outside::error)
        fail(fmt::format("the query {} lies outside of the table, which covers {} … {}", shortest(t),
                         shortest(low()), shortest(high())));
      if (options_.outside == Outside::clamp) t = std::clamp(t, low(), high());
    }
    const bool gives_nan = std::isnan(t) || (is_outside && options_.outside == Outside::nan);
    if (!gives_nan && !(x_[k] <= t && t < x_[k + 1])) {
      const auto after = std::upper_bound(x_.begin(), x_.end(), t);
      k = static_cast<std::size_t>(
          std::clamp<std::ptrdiff_t>(after - x_.begin() - 1, 0, static_cast<std::ptrdiff_t>(x_.size()) - 2));
    }
    for (Index c = 0; c < curves_; ++c)
      *to++ = gives_nan ? std::numeric_limits<double>::quiet_NaN() : piece(k, c, t);
  }
  result.all_outside = q.size() > 0 && result.outside == q.size();
  return result;
}

Polyline densify(const Array& x, const Array& y, Index count) {
  if (count < 2) fail(fmt::format("a polyline has at least 2 points, not {}", count));
  const auto xs = x.to_vector<double>();
  for (std::size_t k = 2; k < xs.size(); ++k)
    if ((xs[k] > xs[k - 1]) != (xs[1] > xs[0]))
      fail(fmt::format("x turns back at element {}: a polyline that is spaced in x runs one way", k + 1));
  const Interpolant line(x, y, {InterpolationMethod::linear, SplineEnds::not_a_knot, Outside::clamp});
  Array q(ElementType::float64, {count});
  double* to = q.mutable_data<double>();
  for (Index k = 0; k < count; ++k) {
    const double t = static_cast<double>(k), m = static_cast<double>(count - 1);
    to[k] = (xs.front() * (m - t) + xs.back() * t) / m;
  }
  return {q, line.evaluate(q).values};
}

}  // namespace quill
