#include "numerics/integration.h"

#include <fmt/format.h>

#include "array/elementwise.h"
#include "array/index.h"
#include "array/rearrange.h"
#include "array/reduce.h"

namespace quill {

namespace {

double trapezoid(const double* y, Index n, const void* context) {
  const auto& x = *static_cast<const std::vector<double>*>(context);
  std::vector<double> parts(static_cast<std::size_t>(n > 0 ? n - 1 : 0));
  for (std::size_t k = 0; k < parts.size(); ++k) parts[k] = (x[k + 1] - x[k]) * (y[k] + y[k + 1]) / 2;
  return pairwise_sum(parts.data(), static_cast<Index>(parts.size()), 1);
}

double simpson(const double* y, Index count, const void* context) {
  const auto& x = *static_cast<const std::vector<double>*>(context);
  const auto n = static_cast<std::size_t>(count);
  if (n < 3) return trapezoid(y, count, context);
  std::vector<double> parts;
  std::size_t k = 0;
  for (; k + 2 < n; k += 2) {
    const double a = x[k + 1] - x[k], b = x[k + 2] - x[k + 1], h = a + b;
    parts.push_back(h / 6 * ((2 - b / a) * y[k] + h * h / (a * b) * y[k + 1] + (2 - a / b) * y[k + 2]));
  }
  if (k + 1 < n) {
    // One interval is left: the parabola through the last three points, over the last interval.
    const double a = x[n - 2] - x[n - 3], b = x[n - 1] - x[n - 2];
    parts.push_back(y[n - 1] * (2 * b * b + 3 * a * b) / (6 * (a + b)) +
                    y[n - 2] * (b * b + 3 * a * b) / (6 * a) - y[n - 3] * b * b * b / (6 * a * (a + b)));
  }
  return pairwise_sum(parts.data(), static_cast<Index>(parts.size()), 1);
}

}  // namespace

Array integrate_samples(const Array& x, const Array& y, SampleRule rule, int axis) {
  if (x.axes() != 1 || x.size() != y.extent(axis))
    fail(fmt::format("x has shape {} and axis {} of y has length {}: they must be equal", text_of(x.shape()),
                     axis + 1, y.extent(axis)),
         y.axes() == 2 && x.axes() == 1 && x.size() == y.extent(1 - axis) ? fmt::format("over: {}", 2 - axis)
                                                                          : "");
  const auto xs = x.to_vector<double>();
  for (std::size_t k = 1; k < xs.size(); ++k) {
    const bool rises = xs[k] > xs[k - 1];
    if (xs[k] == xs[k - 1] || rises != (xs[1] > xs[0]))
      fail(fmt::format("x is not monotonic: element {} is {}, element {} is {}", k, shortest(xs[k - 1]),
                       k + 1, shortest(xs[k])));
  }
  return reduce_lines(y, {axis, false}, rule == SampleRule::simpson ? simpson : trapezoid, &xs);
}

namespace {

void check_samples(const Array& x, const Array& y, int axis) {
  if (x.axes() != 1 || x.size() != y.extent(axis))
    fail(fmt::format("x has shape {} and axis {} of y has length {}: they must be equal", text_of(x.shape()),
                     axis + 1, y.extent(axis)));
}

// x laid along the axis of y, to broadcast with it.
Array along(const Array& x, int axis, int axes) {
  Shape shape = Shape::filled(axes, 1);
  shape[axis] = x.size();
  return x.with_shape(shape);
}

Array part(const Array& a, int axis, Index first, Index count) {
  std::vector<Subscript> s;
  for (const auto extent : a.shape()) s.push_back(everything(extent));
  s[static_cast<std::size_t>(axis)] = {Subscript::Kind::run, first, 1, count, {}};
  return select(a, s);
}

}  // namespace

Array cumulative_integral(const Array& x, const Array& y, int axis) {
  check_samples(x, y, axis);
  const Index n = x.size();
  if (n == 0) return y;
  const auto steps = differences(along(x, axis, y.axes()), axis);
  const auto sums = apply(Binary::add, part(y, axis, 0, n - 1), part(y, axis, 1, n - 1));
  const auto pieces = apply(Binary::multiply, apply(Binary::multiply, sums, steps), 0.5);
  const auto zero = apply(Binary::multiply, part(y, axis, 0, 1), 0.0);
  const Array parts[] = {zero, running(Running::sum, pieces, axis)};
  return n == 1 ? zero : join(parts, axis);
}

Array gradient(const Array& y, const Array& x, int axis) {
  check_samples(x, y, axis);
  const Index n = x.size();
  if (n < 2) fail("a derivative of samples needs at least two of them");
  const auto h = differences(along(x, axis, y.axes()), axis);
  if (*reduce(Reduction::any, apply(Binary::equal, h, 0.0)).data<bool>())
    fail("two neighbouring samples have the same x", "each abscissa must be distinct");
  const auto slope = apply(Binary::divide, differences(y, axis), h);
  if (n == 2) {
    const Array both[] = {slope, slope};
    return join(both, axis);
  }
  // Inside, the slopes of both sides, each weighted by the other step; at the ends, the parabola's slope.
  const auto a = part(h, axis, 0, n - 2), b = part(h, axis, 1, n - 2);
  const auto left = part(slope, axis, 0, n - 2), right = part(slope, axis, 1, n - 2);
  const auto inside = apply(
      Binary::divide, apply(Binary::add, apply(Binary::multiply, left, b), apply(Binary::multiply, right, a)),
      apply(Binary::add, a, b));
  const auto beyond = [&](Index end, Index inner) {
    return apply(Binary::subtract, apply(Binary::multiply, part(slope, axis, end, 1), 2.0),
                 part(inside, axis, inner, 1));
  };
  const Array parts[] = {beyond(0, 0), inside, beyond(n - 2, n - 3)};
  return join(parts, axis);
}

}  // namespace quill
