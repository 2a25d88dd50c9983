#include "numerics/integration.h"

#include <fmt/format.h>

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
    fail(fmt::format("x has shape {} and axis {} of y has length {}: they must agree", text_of(x.shape()),
                     axis + 1, y.extent(axis)),
         y.axes() == 2 && x.axes() == 1 && x.size() == y.extent(1 - axis) ? fmt::format("over: {}", 2 - axis)
                                                                          : "");
  const auto xs = x.to_vector<double>();
  for (std::size_t k = 1; k < xs.size(); ++k) {
    const bool rises = xs[k] > xs[k - 1];
    if (xs[k] == xs[k - 1] || rises != (xs[1] > xs[0]))
      fail(fmt::format("x does not run one way: element {} is {}, element {} is {}", k, shortest(xs[k - 1]),
                       k + 1, shortest(xs[k])));
  }
  return reduce_lines(y, {axis, false}, rule == SampleRule::simpson ? simpson : trapezoid, &xs);
}

}  // namespace quill
