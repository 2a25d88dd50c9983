#include <Eigen/QR>
#include <cmath>

#include "numerics/fitting.h"
#include "numerics/linear_algebra.h"
#include "numerics/weighted.h"

namespace quill {

std::optional<SolvedSquares> solve_squares(const Array& a, const Array& b) {
  const Index m = a.extent(0), n = a.extent(1), columns = b.axes() == 2 ? b.extent(1) : 1;
  if (m < n || n == 0 || columns == 0 || b.extent(0) != m) return std::nullopt;
  using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
  const auto scaled = scaled_columns(a, std::vector<double>(static_cast<std::size_t>(m), 1.0));
  const auto right = b.converted(ElementType::float64).compact();
  const Eigen::MatrixXd matrix = Eigen::Map<const Rows>(scaled.matrix.data<double>(), m, n);
  const Eigen::MatrixXd y = Eigen::Map<const Rows>(right.data<double>(), m, columns);
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(matrix);
  const Eigen::MatrixXd upper = qr.matrixQR().topRows(n).triangularView<Eigen::Upper>();
  const Eigen::MatrixXd inverse = upper.triangularView<Eigen::Upper>().solve(Eigen::MatrixXd::Identity(n, n));
  const auto one_norm = [](const Eigen::MatrixXd& x) { return x.cwiseAbs().colwise().sum().maxCoeff(); };
  constexpr double well = 1e9;
  if (!(one_norm(upper) * one_norm(inverse) < well)) return std::nullopt;
  const auto solved = [&](const Eigen::MatrixXd& v) -> Eigen::MatrixXd {
    const Eigen::MatrixXd turned = qr.householderQ().adjoint() * v;
    return inverse.triangularView<Eigen::Upper>() * turned.topRows(n);
  };
  Eigen::MatrixXd x = solved(y);
  // What the first round has left over, once.
  x += solved(y - matrix * x);
  const Eigen::MatrixXd rest = y - matrix * x;
  SolvedSquares out{Array(ElementType::float64, b.axes() == 2 ? Shape{n, columns} : Shape{n}),
                    Array(ElementType::float64, b.axes() == 2 ? Shape{n, columns} : Shape{n}),
                    Array(ElementType::float64, b.axes() == 2 ? Shape{columns} : Shape{})};
  for (Index c = 0; c < columns; ++c) {
    const double size = rest.col(c).stableNorm();
    out.residual.mutable_data<double>()[c] = size;
    const double spread = m > n ? size / std::sqrt(static_cast<double>(m - n)) : NAN;
    for (Index k = 0; k < n; ++k) {
      const double unit = scaled.size[static_cast<std::size_t>(k)];
      out.x.mutable_data<double>()[k * columns + c] = x(k, c) / unit;
      out.errors.mutable_data<double>()[k * columns + c] = spread * inverse.row(k).norm() / unit;
    }
  }
  return out;
}

}  // namespace quill
