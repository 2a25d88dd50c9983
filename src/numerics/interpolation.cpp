#include "numerics/interpolation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "array/strided.h"
#include "numerics/linear_algebra.h"
#include "numerics/sorted.h"

namespace quill {

std::string_view name_of(InterpolationMethod method) {
  switch (method) {
    case InterpolationMethod::nearest: return "nearest";
    case InterpolationMethod::previous: return "previous";
    case InterpolationMethod::linear: return "linear";
    case InterpolationMethod::spline: return "spline";
    case InterpolationMethod::monotone: return "monotone";
    case InterpolationMethod::akima: return "akima";
    case InterpolationMethod::polynomial: return "polynomial";
  }
  return "";
}

double snapped(double t, double low, double high) {
  const double slack = 4 * std::numeric_limits<double>::epsilon() * std::max(std::fabs(low), std::fabs(high));
  if (t < low && t >= low - slack) return low;
  return t > high && t <= high + slack ? high : t;
}

namespace {

// Scales numbers near the ends of the floating-point range to about 1.
double take_unit(std::vector<double>& v) {
  double most = 0;
  for (const double x : v) most = std::max(most, std::fabs(x));
  if (most == 0 || (most > 1e-100 && most < 1e100)) return 1;
  const double unit = std::ldexp(1.0, std::ilogb(most));
  for (double& x : v) x /= unit;
  return unit;
}

}  // namespace

Interpolant::Interpolant(const Array& x, const Array& y, const InterpolantOptions& options)
    : options_(options) {
  if (x.axes() != 1)
    fail(fmt::format("the abscissae must be a vector, not an array of shape {}", text_of(x.shape())));
  if (y.axes() < 1 || y.axes() > 2 || y.extent(0) != x.size())
    fail(fmt::format("the table has {} abscissae, but values of shape {}", x.size(), text_of(y.shape())),
         y.axes() == 2 && y.extent(1) == x.size() ? "for one curve in each column: y'" : "");
  if (x.size() < 2) fail(fmt::format("a table for interpolation needs at least 2 points, not {}", x.size()));
  refuse_not_finite(x, "x");
  refuse_not_finite(y, "y");
  single_ = y.axes() == 1;
  curves_ = single_ ? 1 : y.extent(1);
  const auto xs = x.to_vector<double>();
  auto ys = y.to_vector<double>();
  const auto order = rising_order(xs);
  for (const auto k : order) {
    if (!x_.empty() && x_.back() == xs[k])
      fail(fmt::format("duplicate x value: {}", shortest(xs[k])), "each abscissa must be distinct");
    x_.push_back(xs[k]);
  }
  if (std::is_sorted(order.begin(), order.end()))
    y_ = std::move(ys);
  else
    for (const auto k : order) {
      const auto row = ys.begin() + static_cast<std::ptrdiff_t>(at(k, 0));
      y_.insert(y_.end(), row, row + curves_);
    }
  unit_x_ = take_unit(x_);
  unit_y_ = take_unit(y_);
  switch (options_.method) {
    case InterpolationMethod::spline: make_spline(); break;
    case InterpolationMethod::monotone: make_monotone(); break;
    case InterpolationMethod::akima: make_akima(); break;
    case InterpolationMethod::polynomial: make_weights(); break;
    default: break;
  }
  if (!is_polynomial() && options_.has_integrals) make_sums();
}

void Interpolant::make_sums() {
  sums_.assign(y_.size(), 0.0);
  for (std::size_t k = 0; k + 1 < x_.size(); ++k)
    for (Index c = 0; c < curves_; ++c) sums_[at(k + 1, c)] = area(k, c, x_[k + 1]);
}

std::size_t Interpolant::place_of(double t) const {
  const auto after = std::upper_bound(x_.begin(), x_.end(), t);
  return static_cast<std::size_t>(
      std::clamp<std::ptrdiff_t>(after - x_.begin() - 1, 0, static_cast<std::ptrdiff_t>(x_.size()) - 2));
}

double Interpolant::value(std::size_t k, Index c, double t) const {
  if (is_polynomial()) return barycentric(y_, c, t);
  const double h = width(k), b = (t - x_[k]) / h, a = 1 - b;
  if (options_.method == InterpolationMethod::previous) return y(t >= x_[k + 1] ? k + 1 : k, c);
  if (options_.method == InterpolationMethod::nearest) return y(b > 0.5 ? k + 1 : k, c);
  const double line = t == x_[k + 1] ? y(k + 1, c) : a * y(k, c) + b * y(k + 1, c);
  if (bends_.empty()) return line;
  const auto& bend = bends_[at(k, c)];
  return line + a * b * (a * bend.left + b * bend.right);
}

void Interpolant::lines_at(std::size_t k, double t, double unit, double* to) const {
  const double b = (t - x_[k]) / width(k), a = 1 - b;
  const double *const left = y_.data() + at(k, 0), *const right = y_.data() + at(k + 1, 0);
  if (t == x_[k + 1])
    for (Index c = 0; c < curves_; ++c) to[c] = right[c] * unit;
  else
    for (Index c = 0; c < curves_; ++c) to[c] = (a * left[c] + b * right[c]) * unit;
}

double Interpolant::slope(std::size_t k, Index c, double t) const {
  if (is_polynomial()) return barycentric(slopes_, c, t);
  if (bends_.empty()) return rise(k, c);
  const double h = width(k), b = (t - x_[k]) / h, a = 1 - b;
  const auto& bend = bends_[at(k, c)];
  return rise(k, c) + ((a - b) * (a * bend.left + b * bend.right) + a * b * (bend.right - bend.left)) / h;
}

double Interpolant::area(std::size_t k, Index c, double t) const {
  if (is_polynomial()) return polynomial_area(c, t);
  const double h = width(k), d = t - x_[k], b = d / h;
  const double before = sums_[at(k, c)];
  if (options_.method == InterpolationMethod::previous) return before + y(k, c) * d;
  if (options_.method == InterpolationMethod::nearest)
    return before + y(k, c) * std::min(d, h / 2) + y(k + 1, c) * std::max(d - h / 2, 0.0);
  double part = y(k, c) * (1 - b / 2) + y(k + 1, c) * b / 2;
  if (!bends_.empty()) {
    const auto& bend = bends_[at(k, c)];
    part += b * (bend.left * (0.5 + b * (b / 4 - 2.0 / 3)) + bend.right * b * (1.0 / 3 - b / 4));
  }
  return before + d * part;
}

// Value at a point outside of the table, for policies that define one.
double Interpolant::beyond(std::size_t k, Index c, double t, Piece piece, bool is_integral) const {
  const bool extends = options_.outside == Outside::extend;
  const bool steps =
      options_.method == InterpolationMethod::nearest || options_.method == InterpolationMethod::previous;
  if (extends && is_periodic()) {
    const double period = x_.back() - x_.front(), rounds = std::floor((t - x_.front()) / period);
    const double inside = std::clamp(t - rounds * period, x_.front(), x_.back());
    const double here = (this->*piece)(place_of(inside), c, inside);
    return is_integral ? here + rounds * sums_[at(x_.size() - 1, c)] : here;
  }
  if (extends && !steps) return (this->*piece)(k, c, t);
  const double end = std::clamp(t, x_.front(), x_.back());
  const double there = (this->*piece)(k, c, end);
  // Constant continuation of the end value.
  if (is_integral) return there + y(t < x_.front() ? 0 : x_.size() - 1, c) * (t - end);
  return piece == &Interpolant::slope ? 0.0 : there;
}

std::vector<double> Interpolant::breaks() const {
  auto out = x_;
  for (double& x : out) x *= unit_x_;
  return out;
}

TableResult Interpolant::walk(const Array& queries, Piece piece, double unit, bool is_integral) const {
  const auto q = queries.converted(ElementType::float64).compact();
  Shape shape = q.shape();
  if (!single_) shape.push_back(curves_);
  TableResult result{Array(ElementType::float64, shape)};
  double* to = result.values.mutable_data<double>();
  const double* from = q.data<double>();
  std::size_t k = 0;
  for (Index i = 0; i < q.size(); ++i) {
    if (i % 65536 == 0) poll_interrupt();
    const double t = snapped(from[i] / unit_x_, x_.front(), x_.back());
    const bool is_outside = t < x_.front() || t > x_.back();
    if (is_outside) {
      ++result.outside;
      if (options_.outside == Outside::error)
        fail(fmt::format("the query {} is outside the table, which covers {} … {}", shortest(from[i]),
                         shortest(low()), shortest(high())));
    }
    const bool gives_nan = std::isnan(t) || (is_outside && options_.outside == Outside::nan);
    if (!gives_nan && !(x_[k] <= t && t < x_[k + 1])) k = place_of(t);
    if (piece == &Interpolant::value && options_.method == InterpolationMethod::linear && !is_outside &&
        !gives_nan) {
      lines_at(k, t, unit, to);
      to += curves_;
      continue;
    }
    for (Index c = 0; c < curves_; ++c)
      *to++ = gives_nan    ? std::numeric_limits<double>::quiet_NaN()
              : is_outside ? beyond(k, c, t, piece, is_integral) * unit
                           : (this->*piece)(k, c, t) * unit;
  }
  result.all_outside = q.size() > 0 && result.outside == q.size();
  return result;
}

TableResult Interpolant::evaluate(const Array& q) const { return walk(q, &Interpolant::value, unit_y_); }

TableResult Interpolant::antiderivative(const Array& q) const {
  return walk(q, &Interpolant::area, unit_y_ * unit_x_, true);
}

TableResult Interpolant::derivative(const Array& q) const {
  if (options_.method == InterpolationMethod::nearest || options_.method == InterpolationMethod::previous)
    fail(fmt::format("the method \"{}\" is piecewise constant and has no derivative",
                     name_of(options_.method)),
         "the methods \"linear\", \"spline\", \"monotone\", \"akima\" and \"polynomial\" have one");
  return walk(q, &Interpolant::slope, unit_y_ / unit_x_);
}

Polyline densify(const Array& x, const Array& y, Index count) {
  if (count < 2) fail(fmt::format("a polyline needs at least 2 points, not {}", count));
  const auto xs = x.to_vector<double>();
  for (std::size_t k = 2; k < xs.size(); ++k)
    if ((xs[k] > xs[k - 1]) != (xs[1] > xs[0]))
      fail(fmt::format("x is not monotonic: it changes direction at element {}", k + 1));
  InterpolantOptions options;
  options.outside = Outside::clamp;
  const Interpolant line(x, y, options);
  Array q(ElementType::float64, {count});
  double* to = q.mutable_data<double>();
  for (Index k = 0; k < count; ++k) {
    const double t = static_cast<double>(k), m = static_cast<double>(count - 1);
    to[k] = (xs.front() * (m - t) + xs.back() * t) / m;
  }
  return {q, line.evaluate(q).values};
}

}  // namespace quill
