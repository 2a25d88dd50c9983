#include <cmath>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "array/reduce.h"
#include "numerics/fitting.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/weighted.h"

namespace quill {

namespace {

double root_of_squares(const double* x, Index count, Index step) {
  double largest = 0, sum = 0;
  for (Index k = 0; k < count; ++k) largest = std::max(largest, std::fabs(x[k * step]));
  if (largest == 0 || !std::isfinite(largest)) return largest;
  for (Index k = 0; k < count; ++k) sum += (x[k * step] / largest) * (x[k * step] / largest);
  return largest * std::sqrt(sum);
}

}  // namespace

std::optional<SolvedSquares> solve_squares(const Array& a, const Array& b) {
  const Index m = a.extent(0), n = a.extent(1), columns = b.axes() == 2 ? b.extent(1) : 1;
  if (m < n || n == 0 || columns == 0 || b.extent(0) != m) return std::nullopt;
  const auto scaled = scaled_columns(a, std::vector<double>(static_cast<std::size_t>(m), 1.0));
  const auto y = b.converted(ElementType::float64).compact().with_shape({m, columns});
  const auto qr = qr_factors(scaled.matrix);
  const auto triangle = inverse_triangle(qr.r.data<double>(), n);
  const auto inverse = Array::of<double>({n, n}, std::span<const double>(triangle));
  constexpr double well = 1e9;
  if (!(norm(qr.r, 1) * norm(inverse, 1) < well)) return std::nullopt;
  const auto solved = [&](const Array& v) {
    return matrix_product(inverse, matrix_product(qr.q.transposed(), v));
  };
  const auto rest_of = [&](const Array& x) {
    return apply(Binary::subtract, y, matrix_product(scaled.matrix, x));
  };
  auto x = solved(y);
  // One step of refinement with the residuals.
  x = apply(Binary::add, x, solved(rest_of(x))).compact();
  const auto rest = rest_of(x).compact();
  SolvedSquares out{Array(ElementType::float64, b.axes() == 2 ? Shape{n, columns} : Shape{n}),
                    Array(ElementType::float64, b.axes() == 2 ? Shape{n, columns} : Shape{n}),
                    Array(ElementType::float64, b.axes() == 2 ? Shape{columns} : Shape{})};
  for (Index c = 0; c < columns; ++c) {
    const double size = root_of_squares(rest.data<double>() + c, m, columns);
    out.residual_norm.mutable_data<double>()[c] = size;
    const double spread = m > n ? size / std::sqrt(static_cast<double>(m - n)) : NAN;
    for (Index k = 0; k < n; ++k) {
      const double unit = scaled.size[static_cast<std::size_t>(k)];
      out.x.mutable_data<double>()[k * columns + c] = x.data<double>()[k * columns + c] / unit;
      out.errors.mutable_data<double>()[k * columns + c] =
          spread * root_of_squares(inverse.data<double>() + k * n, n, 1) / unit;
    }
  }
  return out;
}

}  // namespace quill
