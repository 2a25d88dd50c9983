// The polynomial through all points of a table, and the inverse of a table.
#include <fmt/format.h>

#include <algorithm>
#include <boost/math/special_functions/legendre.hpp>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <limits>

#include "array/strided.h"
#include "numerics/interpolation.h"

namespace quill {

// Products of differences in units of a quarter of the range neither vanish nor overflow soon; the slopes at
// the points come from the matrix of differentiation, whose diagonal makes the rows sum to zero.
void Interpolant::make_weights() {
  const auto n = x_.size();
  const double scale = 4 / (x_.back() - x_.front());
  weights_.assign(n, 1.0);
  for (std::size_t k = 0; k < n; ++k)
    for (std::size_t j = 0; j < n; ++j)
      if (j != k) weights_[k] /= scale * (x_[k] - x_[j]);
  for (const double w : weights_)
    if (!std::isfinite(w) || w == 0)
      fail(fmt::format("a polynomial through {} points like these cannot be computed", n),
           "method: \"spline\" works with any number of points");
  slopes_.assign(y_.size(), 0.0);
  for (std::size_t k = 0; k < n; ++k)
    for (std::size_t j = 0; j < n; ++j)
      for (Index c = 0; c < curves_ && j != k; ++c)
        slopes_[at(k, c)] += weights_[j] / weights_[k] * (y(j, c) - y(k, c)) / (x_[k] - x_[j]);
}

double Interpolant::barycentric(const std::vector<double>& ordinates, Index c, double t) const {
  double above = 0, below = 0;
  for (std::size_t k = 0; k < x_.size(); ++k) {
    if (t == x_[k]) return ordinates[at(k, c)];
    const double w = weights_[k] / (t - x_[k]);
    above += w * ordinates[at(k, c)];
    below += w;
  }
  return above / below;
}

// Gauss–Legendre quadrature with enough nodes to be exact.
double Interpolant::polynomial_area(Index c, double t) const {
  const auto nodes = static_cast<int>((x_.size() + 1) / 2);
  const auto positive = boost::math::legendre_p_zeros<double>(nodes);
  const double middle = (x_.front() + t) / 2, half = (t - x_.front()) / 2;
  double sum = 0;
  for (const double z : positive) {
    const double slope = boost::math::legendre_p_prime(nodes, z);
    const double weight = 2 / ((1 - z * z) * slope * slope);
    sum += weight * barycentric(y_, c, middle + half * z);
    if (z > 0) sum += weight * barycentric(y_, c, middle - half * z);
  }
  return half * sum;
}

double Interpolant::amplification() const {
  double most = 1;
  if (!is_polynomial()) return most;
  for (std::size_t i = 0; i + 1 < x_.size(); ++i) {
    const double t = x_[i] + width(i) / 2;
    double above = 0, below = 0;
    for (std::size_t k = 0; k < x_.size(); ++k) {
      const double w = weights_[k] / (t - x_[k]);
      above += std::fabs(w);
      below += w;
    }
    most = std::max(most, above / std::fabs(below));
  }
  return most;
}

InverseInterpolant::InverseInterpolant(std::shared_ptr<const Interpolant> f) : f_(std::move(f)) {
  const auto& g = *f_;
  const auto method = g.options_.method;
  if (g.curves_ != 1) fail(fmt::format("an interpolant of {} curves has no inverse", g.curves_));
  if (g.is_polynomial() || method == InterpolationMethod::nearest || method == InterpolationMethod::previous)
    fail(fmt::format("an interpolant of the method \"{}\" has no inverse", name_of(method)),
         "the methods \"linear\" and \"monotone\" preserve monotonicity");
  const auto n = g.x_.size();
  rises_ = g.y_[n - 1] > g.y_[0];
  const double sign = rises_ ? 1 : -1;
  for (std::size_t k = 0; k + 1 < n; ++k) {
    if (sign * (g.y_[k + 1] - g.y_[k]) <= 0)
      fail(fmt::format("the table is not monotonic: it changes direction between {} and {}",
                       shortest(g.x_[k] * g.unit_x_), shortest(g.x_[k + 1] * g.unit_x_)),
           "restrict the table to a monotonic part");
    if (g.bends_.empty()) continue;
    // The slope along the piece is a parabola in b: at the ends, and where it has its own extreme.
    const auto& bend = g.bends_[k];
    const double h = g.width(k), dy = g.y_[k + 1] - g.y_[k];
    const double a2 = 3 * (bend.left - bend.right), a1 = 2 * (bend.right - 2 * bend.left);
    double least = std::min(sign * g.slope(k, 0, g.x_[k]), sign * g.slope(k, 0, g.x_[k + 1]));
    if (const double b = -a1 / (2 * a2); b > 0 && b < 1)
      least = std::min(least, sign * g.slope(k, 0, g.x_[k] + b * h));
    if (least < -1e-9 * std::fabs(dy / h))
      fail(fmt::format("the interpolant is not monotonic: it changes direction between {} and {}",
                       shortest(g.x_[k] * g.unit_x_), shortest(g.x_[k + 1] * g.unit_x_)),
           "method: \"monotone\" preserves monotonicity");
  }
  low_ = std::min(g.y_[0], g.y_[n - 1]) * g.unit_y_;
  high_ = std::max(g.y_[0], g.y_[n - 1]) * g.unit_y_;
}

double InverseInterpolant::solve(double v) const {
  const auto& g = *f_;
  const auto& ys = g.y_;
  const auto after = rises_ ? std::upper_bound(ys.begin(), ys.end(), v)
                            : std::upper_bound(ys.begin(), ys.end(), v, std::greater<>());
  const auto k = static_cast<std::size_t>(
      std::clamp<std::ptrdiff_t>(after - ys.begin() - 1, 0, static_cast<std::ptrdiff_t>(ys.size()) - 2));
  if (v == ys[k]) return g.x_[k];
  if (v == ys[k + 1]) return g.x_[k + 1];
  if (g.bends_.empty()) return g.x_[k] + (v - ys[k]) / (ys[k + 1] - ys[k]) * g.width(k);
  std::uintmax_t rounds = 200;
  const auto [a, b] = boost::math::tools::toms748_solve(
      [&](double t) { return g.value(k, 0, t) - v; }, g.x_[k], g.x_[k + 1], ys[k] - v, ys[k + 1] - v,
      boost::math::tools::eps_tolerance<double>(52), rounds);
  return std::fabs(g.value(k, 0, a) - v) < std::fabs(g.value(k, 0, b) - v) ? a : b;
}

TableResult InverseInterpolant::evaluate(const Array& queries) const {
  const auto q = queries.converted(ElementType::float64).compact();
  TableResult result{Array(ElementType::float64, q.shape())};
  double* to = result.values.mutable_data<double>();
  const double* from = q.data<double>();
  const auto policy = f_->options_.outside;
  const bool extends = policy == Outside::extend && f_->options_.method == InterpolationMethod::linear;
  for (Index i = 0; i < q.size(); ++i) {
    if (i % 4096 == 0) poll_interrupt();
    double v = snapped(from[i], low_, high_);
    const bool is_outside = v < low_ || v > high_;
    result.outside += is_outside;
    if (is_outside && policy == Outside::error)
      fail(fmt::format("the query {} is outside the values of the table, which cover {} … {}", shortest(v),
                       shortest(low_), shortest(high_)));
    if (is_outside && policy == Outside::clamp) v = std::clamp(v, low_, high_);
    const bool gives_nan = std::isnan(v) || (is_outside && policy != Outside::clamp && !extends);
    to[i] = gives_nan ? std::numeric_limits<double>::quiet_NaN() : solve(v / f_->unit_y_) * f_->unit_x_;
  }
  result.all_outside = q.size() > 0 && result.outside == q.size();
  return result;
}

}  // namespace quill
