#include "numerics/regression.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/distributions.h"
#include "numerics/matrices.h"
#include "numerics/sorted.h"
#include "numerics/weighted.h"

namespace quill {

Regression regression(const Array& x, const Array& y, const Array& weights) {
  Regression out;
  out.fit = linear_fit(x, y, weights);
  const Index n = x.extent(0), p = x.extent(1);
  const auto design = x.converted(ElementType::float64).to_vector<double>();
  const auto wanted = y.converted(ElementType::float64).to_vector<double>();
  const auto w = checked_weights(weights, n);
  const auto q = qr_factors(scaled_columns(x, w).matrix).q.to_vector<double>();
  const auto freedom = static_cast<double>(out.fit.degrees_of_freedom);
  out.residual_std = freedom > 0 ? out.fit.residual_norm / std::sqrt(freedom) : NAN;
  for (Index k = 0; k < n; ++k) {
    const auto at = static_cast<std::size_t>(k);
    long double value = 0;
    double own = 0;
    for (Index j = 0; j < p; ++j) {
      value += static_cast<long double>(design[static_cast<std::size_t>(k * p + j)]) *
               out.fit.coefficients[static_cast<std::size_t>(j)];
      own += q[static_cast<std::size_t>(k * p + j)] * q[static_cast<std::size_t>(k * p + j)];
    }
    own = std::min(1.0, own);
    const auto fitted = static_cast<double>(value);
    out.fitted.push_back(fitted);
    out.residual.push_back(static_cast<double>(wanted[at] - value));
    out.leverage.push_back(own);
    const double rest = out.residual.back() * std::sqrt(w[at]);
    const double standard = rest / (out.residual_std * std::sqrt(1 - own));
    out.standardized.push_back(standard);
    out.cook.push_back(standard * standard * own / ((1 - own) * static_cast<double>(p)));
  }
  const double r2 = out.fit.r_squared, more = static_cast<double>(p - 1);
  out.adjusted_r_squared = freedom > 0 ? 1 - (1 - r2) * (static_cast<double>(n) - 1) / freedom : NAN;
  if (more > 0 && freedom > 0) {
    out.f = r2 / more / ((1 - r2) / freedom);
    out.f_p = std::isfinite(out.f) ? Distribution(DistributionKind::f, {more, freedom}).survival(out.f) : 0;
  } else {
    out.f = out.f_p = NAN;
  }
  return out;
}

LocalRegression::LocalRegression(std::vector<double> x, std::vector<double> y, double span, int degree,
                                 int robust_rounds)
    : degree_(degree) {
  const auto n = x.size();
  if (!(span > 0 && span <= 1))
    fail(fmt::format("the span must be a share above 0 and up to 1, not {}", shortest(span)));
  if (degree < 0 || degree > 2) fail(fmt::format("the degree must be 0, 1 or 2, not {}", degree));
  neighbors_ = std::min(n, static_cast<std::size_t>(std::ceil(span * static_cast<double>(n) - 1e-9)));
  const auto least = static_cast<std::size_t>(degree) + 2;
  if (neighbors_ < least)
    fail(fmt::format("the span contains {} of the points, and degree {} needs at least {}", neighbors_,
                     degree, least),
         "a larger span, or more points");
  const auto order = rising_order(x);
  for (const auto k : order) {
    x_.push_back(x[k]);
    y_.push_back(y[k]);
  }
  weight_.assign(n, 1.0);
  for (int round = 0; round < robust_rounds; ++round) {
    std::vector<double> rest(n), sizes(n);
    for (std::size_t k = 0; k < n; ++k) {
      poll_interrupt_at(k);
      rest[k] = y_[k] - at(x_[k]);
      sizes[k] = std::fabs(rest[k]);
    }
    std::nth_element(sizes.begin(), sizes.begin() + static_cast<Index>(n / 2), sizes.end());
    const double limit = 6 * sizes[n / 2];
    if (limit == 0) return;
    for (std::size_t k = 0; k < n; ++k) {
      const double u = rest[k] / limit;
      weight_[k] = std::fabs(u) < 1 ? (1 - u * u) * (1 - u * u) : 0;
    }
  }
}

double LocalRegression::at(double q) const {
  if (!(q >= x_.front() && q <= x_.back())) return NAN;
  const auto n = x_.size();
  // Nearest points are contiguous: moves the window while the next point is nearer than the first.
  auto first = static_cast<std::size_t>(std::lower_bound(x_.begin(), x_.end(), q) - x_.begin());
  first = first > neighbors_ ? first - neighbors_ : 0;
  while (first + neighbors_ < n && q - x_[first] > x_[first + neighbors_] - q) ++first;
  const auto last = first + neighbors_;
  const double reach = std::max(std::fabs(q - x_[first]), std::fabs(x_[last - 1] - q)) * (1 + 1e-9);
  // Weighted sums of powers of the distance in units of the reach.
  double s[5] = {}, t[3] = {};
  for (std::size_t k = first; k < last; ++k) {
    const double u = reach > 0 ? (x_[k] - q) / reach : 0, cube = std::fabs(u) * u * u;
    double w = weight_[k] * std::pow(1 - cube, 3);
    for (int j = 0; j < 5; ++j) {
      s[j] += w;
      if (j < 3) t[j] += w * y_[k];
      w *= u;
    }
  }
  if (!(s[0] > 0)) return NAN;
  // With too few different points the degree falls.
  const double spread = s[2] * s[0] - s[1] * s[1];
  constexpr double none = 1e-12;
  if (degree_ == 0 || spread <= none * s[0] * s[0]) return t[0] / s[0];
  const double det = s[0] * (s[2] * s[4] - s[3] * s[3]) - s[1] * (s[1] * s[4] - s[3] * s[2]) +
                     s[2] * (s[1] * s[3] - s[2] * s[2]);
  if (degree_ == 1 || det <= none * none * s[0] * s[0] * s[0]) return (s[2] * t[0] - s[1] * t[1]) / spread;
  return (t[0] * (s[2] * s[4] - s[3] * s[3]) - s[1] * (t[1] * s[4] - s[3] * t[2]) +
          s[2] * (t[1] * s[3] - s[2] * t[2])) /
         det;
}

}  // namespace quill
