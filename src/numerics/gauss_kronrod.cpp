#include "numerics/gauss_kronrod.h"

#include <algorithm>
#include <boost/math/quadrature/gauss_kronrod.hpp>
#include <cmath>
#include <limits>

namespace quill {

GaussKronrod::GaussKronrod() {
  using Kronrod = boost::math::quadrature::gauss_kronrod<double, kCount>;
  using Gauss = boost::math::quadrature::gauss<double, 10>;
  constexpr std::size_t middle = kCount / 2;
  // The library holds the half from 0 on.
  for (std::size_t k = 0; k <= middle; ++k) {
    nodes_[middle + k] = Kronrod::abscissa()[k];
    nodes_[middle - k] = -Kronrod::abscissa()[k];
    weights_[middle + k] = weights_[middle - k] = Kronrod::weights()[k];
  }
  for (std::size_t k = 0; k < Gauss::abscissa().size(); ++k)
    for (std::size_t j = 0; j < kCount; ++j)
      if (std::fabs(std::fabs(nodes_[j]) - Gauss::abscissa()[k]) < 1e-12)
        gauss_weights_[j] = Gauss::weights()[k];
  for (std::size_t k = 0; k < kCount; ++k) {
    double product = 1;
    for (std::size_t j = 0; j < kCount; ++j)
      if (j != k) product *= 2 * (nodes_[k] - nodes_[j]);
    barycentric_[k] = 1 / product;
  }
}

const GaussKronrod& GaussKronrod::rule() {
  static const GaussKronrod one;
  return one;
}

GaussKronrod::Sum GaussKronrod::sum(const Values& y) const {
  Sum out;
  double gauss = 0;
  for (std::size_t k = 0; k < kCount; ++k) {
    out.value += weights_[k] * y[k];
    gauss += gauss_weights_[k] * y[k];
    out.size += weights_[k] * std::fabs(y[k]);
  }
  double spread = 0;
  for (std::size_t k = 0; k < kCount; ++k) spread += weights_[k] * std::fabs(y[k] - out.value / 2);
  out.error = std::fabs(out.value - gauss);
  if (spread > 0 && out.error > 0)
    out.error = spread * std::min(1.0, std::pow(200 * out.error / spread, 1.5));
  return out;
}

double GaussKronrod::interpolated(const Values& y, double z) const {
  double above = 0, below = 0;
  for (std::size_t k = 0; k < kCount; ++k) {
    const double d = z - nodes_[k];
    if (d == 0) return y[k];
    above += barycentric_[k] / d * y[k];
    below += barycentric_[k] / d;
  }
  return above / below;
}

}  // namespace quill
