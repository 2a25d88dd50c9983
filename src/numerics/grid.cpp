#include "numerics/grid.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numeric>

#include "array/strided.h"
#include "numerics/linear_algebra.h"
#include "numerics/sorted.h"

namespace quill {

std::string_view name_of(GridMethod method) {
  return method == GridMethod::nearest ? "nearest" : method == GridMethod::linear ? "linear" : "cubic";
}

std::vector<Array> broadcast_together(std::span<const Array> arrays) {
  Shape shape;
  for (const auto& a : arrays) shape = broadcast_shapes(shape, a.shape());
  std::vector<Array> out;
  for (const auto& a : arrays)
    out.push_back(a.view(a.offset(), shape, stretched_strides(a.shape(), a.strides(), shape))
                      .converted(ElementType::float64)
                      .compact());
  return out;
}

namespace {

constexpr std::array<const char*, 3> kNames = {"x", "y", "z"};

// The permutation that sorts a coordinate. Throws Error for repeated, infinite and nan values.
std::vector<std::size_t> order_of_coordinate(const std::vector<double>& v, const char* name) {
  auto order = rising_order(v);
  for (std::size_t k = 0; k < order.size(); ++k) {
    if (std::isinf(v[order[k]])) fail(fmt::format("{} contains an infinite number", name));
    if (k > 0 && v[order[k]] == v[order[k - 1]])
      fail(fmt::format("duplicate coordinate {} in {}", shortest(v[order[k]]), name),
           "every grid line needs its own coordinate");
  }
  return order;
}

}  // namespace

GridInterpolant::GridInterpolant(std::span<const Array> coordinates, const Array& values, GridMethod method,
                                 Outside outside)
    : method_(method), outside_(outside) {
  const auto n = coordinates.size();
  Shape wanted;
  for (std::size_t k = n; k-- > 0;) {
    if (coordinates[k].axes() != 1)
      fail(fmt::format("{} must be a vector, not an array of shape {}", kNames[k],
                       text_of(coordinates[k].shape())));
    wanted.push_back(coordinates[k].size());
  }
  if (!(values.shape() == wanted)) {
    Shape turned;
    for (const auto& c : coordinates) turned.push_back(c.size());
    fail(fmt::format("the values have shape {} and the coordinates require {}: x varies along the last axis",
                     text_of(values.shape()), text_of(wanted)),
         n == 2 && values.shape() == turned ? "the transpose of the values fits: z'" : "");
  }
  refuse_not_finite(values, "the array of values");
  std::vector<std::vector<std::size_t>> orders;
  for (std::size_t k = 0; k < n; ++k) {
    refuse_not_finite(coordinates[k], kNames[k]);
    const auto v = coordinates[k].to_vector<double>();
    if (v.size() < 2)
      fail(fmt::format("a grid needs at least 2 coordinates in {}, not {}", kNames[k], v.size()));
    orders.push_back(order_of_coordinate(v, kNames[k]));
    axes_.emplace_back();
    for (const auto place : orders.back()) axes_.back().push_back(v[place]);
  }
  if (n == 2) orders.push_back({0});
  const auto all = values.to_vector<double>();
  const auto nx = orders[0].size(), ny = orders[1].size();
  for (const auto iz : orders[2])
    for (const auto iy : orders[1])
      for (const auto ix : orders[0]) values_.push_back(all[(iz * ny + iy) * nx + ix]);
}

void GridInterpolant::look(std::size_t axis, double t, Window& w) const {
  const auto& x = axes_[axis];
  w.query = t;
  t = snapped(t, x.front(), x.back());
  w.is_outside = !(t >= x.front() && t <= x.back());
  if (w.is_outside && outside_ != Outside::extend) t = std::clamp(t, x.front(), x.back());
  const auto after = std::upper_bound(x.begin(), x.end(), t);
  const auto k = static_cast<std::size_t>(
      std::clamp<std::ptrdiff_t>(after - x.begin() - 1, 0, static_cast<std::ptrdiff_t>(x.size()) - 2));
  const double h = x[k + 1] - x[k], b = (t - x[k]) / h, a = 1 - b;
  std::fill(std::begin(w.weight), std::end(w.weight), 0.0);
  if (method_ == GridMethod::nearest) {
    w.first = b > 0.5 ? k + 1 : k;
    w.count = 1;
    w.weight[0] = 1;
    return;
  }
  w.first = method_ == GridMethod::cubic && k > 0 ? k - 1 : k;
  w.count = method_ == GridMethod::cubic ? std::min(k + 3, x.size()) - w.first : 2;
  const auto add = [&](std::size_t place, double weight) { w.weight[place - w.first] += weight; };
  add(k, a);
  add(k + 1, b);
  if (method_ != GridMethod::cubic || x.size() == 2) return;
  // The line bends by a b (a (h m0 - dy) + b (dy - h m1)) for slopes m0, m1 at the ends of the piece.
  const auto add_slope = [&](std::size_t at, double factor) {
    const auto left = std::clamp<std::size_t>(at, 1, x.size() - 2) - 1;  // of the three neighbours
    for (std::size_t i = left; i < left + 3; ++i) {
      const auto j = i == left ? left + 1 : left, m = 3 * left + 3 - i - j;
      add(i, factor * ((x[at] - x[j]) + (x[at] - x[m])) / ((x[i] - x[j]) * (x[i] - x[m])));
    }
  };
  add_slope(k, a * b * a * h);
  add_slope(k + 1, -a * b * b * h);
  add(k, a * b * (a - b));
  add(k + 1, -a * b * (a - b));
}

double GridInterpolant::combined(std::span<const Window> w) const {
  const auto nx = axes_[0].size(), ny = axes_[1].size();
  double sum = 0;
  const bool is_flat = w.size() == 2;
  for (std::size_t k = 0; k < (is_flat ? 1 : w[2].count); ++k) {
    const auto layer = is_flat ? 0 : (w[2].first + k) * ny;
    double plane = 0;
    for (std::size_t j = 0; j < w[1].count; ++j) {
      const double* row = values_.data() + (layer + w[1].first + j) * nx + w[0].first;
      double line = 0;
      for (std::size_t i = 0; i < w[0].count; ++i) line += w[0].weight[i] * row[i];
      plane += w[1].weight[j] * line;
    }
    sum += is_flat ? plane : w[2].weight[k] * plane;
  }
  return sum;
}

TableResult GridInterpolant::evaluate(std::span<const Array> queries) const {
  const auto n = axes_.size();
  TableResult result{Array(ElementType::float64, queries[0].shape())};
  double* to = result.values.mutable_data<double>();
  std::vector<const double*> from;
  for (const auto& q : queries) from.push_back(q.data<double>());
  std::vector<Window> windows(n);
  for (std::size_t axis = 0; axis < n; ++axis) look(axis, axes_[axis][0], windows[axis]);
  constexpr double nan = std::numeric_limits<double>::quiet_NaN();
  for (Index q = 0; q < result.values.size(); ++q) {
    if (q % 16384 == 0) poll_interrupt();
    bool is_outside = false, is_nan = false;
    for (std::size_t axis = 0; axis < n; ++axis) {
      const double t = from[axis][q];
      is_nan = is_nan || std::isnan(t);
      if (t != windows[axis].query && !std::isnan(t)) look(axis, t, windows[axis]);
      is_outside = is_outside || windows[axis].is_outside;
    }
    result.outside += is_outside && !is_nan;
    if (is_outside && !is_nan && outside_ == Outside::error) {
      std::string place, range;
      for (std::size_t axis = 0; axis < n; ++axis) {
        place += (axis ? ", " : "") + shortest(from[axis][q]);
        range += fmt::format("{}{} {} … {}", axis ? ", " : "", kNames[axis], shortest(axes_[axis].front()),
                             shortest(axes_[axis].back()));
      }
      fail(fmt::format("the query ({}) is outside the grid, which covers {}", place, range));
    }
    to[q] = is_nan || (is_outside && outside_ == Outside::nan) ? nan : combined(windows);
  }
  result.all_outside = result.values.size() > 0 && result.outside == result.values.size();
  return result;
}

}  // namespace quill
