// Derivatives of functions of several variables by finite differences.
#pragma once

#include <cmath>
#include <limits>
#include <span>
#include <vector>

namespace quill {

// Step of central differences in a coordinate of this typical size: the cube root of the precision.
inline double central_step(double x, double typical) {
  const double size = std::max(std::fabs(x), typical);
  return std::cbrt(std::numeric_limits<double>::epsilon()) * (size > 0 ? size : 1);
}

// The Jacobian matrix by central differences, row-major; `f(x, out)` writes `rows` numbers.
template <class F>
void central_differences(F&& f, std::span<const double> x, std::span<const double> typical, std::size_t rows,
                         std::span<double> out) {
  std::vector<double> moved(x.begin(), x.end()), up(rows), down(rows);
  const auto n = x.size();
  for (std::size_t c = 0; c < n; ++c) {
    const double h = central_step(x[c], typical[c]);
    moved[c] = x[c] + h;
    const double above = moved[c];
    f(std::span<const double>(moved), std::span<double>(up));
    moved[c] = x[c] - h;
    const double width = above - moved[c];
    f(std::span<const double>(moved), std::span<double>(down));
    moved[c] = x[c];
    for (std::size_t r = 0; r < rows; ++r) out[r * n + c] = (up[r] - down[r]) / width;
  }
}

}  // namespace quill
