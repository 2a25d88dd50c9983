#include "numerics/fitting.h"

#include "numerics/weighted.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "numerics/distributions.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/tall.h"

namespace quill {

std::vector<double> checked_weights(const Array& weights, Index n) {
  if (weights.size() == 0) return std::vector<double>(static_cast<std::size_t>(n), 1.0);
  if (weights.axes() != 1 || weights.size() != n)
    fail(fmt::format("there are {} points, but weights of shape {}", n, text_of(weights.shape())));
  auto out = weights.converted(ElementType::float64).to_vector<double>();
  for (const double w : out)
    if (!(w >= 0) || std::isinf(w))
      fail(fmt::format("a weight must be a finite number from 0, not {}", shortest(w)));
  return out;
}

Scaled scaled_columns(const Array& x, const std::vector<double>& weights) {
  const Index n = x.extent(0), p = x.extent(1);
  Scaled out{x.converted(ElementType::float64).copied(), std::vector<double>(static_cast<std::size_t>(p))};
  double* m = out.matrix.mutable_data<double>();
  std::vector<double> largest(out.size.size()), sum(out.size.size());
  for (Index r = 0; r < n; ++r) {
    const double root = std::sqrt(weights[static_cast<std::size_t>(r)]);
    for (Index c = 0; c < p; ++c) {
      m[r * p + c] *= root;
      auto& most = largest[static_cast<std::size_t>(c)];
      most = std::max(most, std::fabs(m[r * p + c]));
    }
  }
  for (auto& most : largest)
    if (most == 0) most = 1;
  for (Index r = 0; r < n; ++r)
    for (Index c = 0; c < p; ++c) {
      const double part = m[r * p + c] / largest[static_cast<std::size_t>(c)];
      sum[static_cast<std::size_t>(c)] += part * part;
    }
  for (std::size_t c = 0; c < sum.size(); ++c) out.size[c] = sum[c] > 0 ? largest[c] * std::sqrt(sum[c]) : 1;
  for (Index r = 0; r < n; ++r)
    for (Index c = 0; c < p; ++c) m[r * p + c] /= out.size[static_cast<std::size_t>(c)];
  return out;
}

std::vector<double> inverse_triangle(const double* r, Index p) {
  std::vector<double> out(static_cast<std::size_t>(p * p), 0.0);
  for (Index c = 0; c < p; ++c)
    for (Index i = c; i >= 0; --i) {
      double sum = i == c ? 1 : 0;
      for (Index k = i + 1; k <= c; ++k) sum -= r[i * p + k] * out[static_cast<std::size_t>(k * p + c)];
      out[static_cast<std::size_t>(i * p + c)] = sum / r[i * p + i];
    }
  return out;
}

namespace {

constexpr double kNan = std::numeric_limits<double>::quiet_NaN();

// Residuals, spread and covariance once the coefficients are known.
void finish(Fit& fit, const std::vector<double>& rest, const std::vector<double>& y,
            const std::vector<double>& weights, const std::vector<double>& inverse,
            const std::vector<double>& size) {
  double sum = 0, total = 0, mean = 0, weight = 0;
  for (std::size_t k = 0; k < y.size(); ++k) {
    sum += weights[k] * rest[k] * rest[k];
    mean += weights[k] * y[k];
    weight += weights[k];
  }
  mean /= weight;
  for (std::size_t k = 0; k < y.size(); ++k) total += weights[k] * (y[k] - mean) * (y[k] - mean);
  const auto p = static_cast<Index>(fit.coefficients.size());
  fit.residual_norm = std::sqrt(sum);
  fit.r_squared = total > 0 ? 1 - sum / total : 1;
  fit.degrees_of_freedom = static_cast<Index>(y.size()) - p;
  fit.covariance = Array(ElementType::float64, {p, p});
  const double variance =
      fit.degrees_of_freedom > 0 ? sum / static_cast<double>(fit.degrees_of_freedom) : kNan;
  for (Index i = 0; i < p; ++i)
    for (Index k = 0; k < p; ++k) {
      double c = inverse.empty() ? kNan : 0;
      for (Index j = 0; j < p && !inverse.empty(); ++j)
        c += inverse[static_cast<std::size_t>(i * p + j)] * inverse[static_cast<std::size_t>(k * p + j)];
      fit.covariance.mutable_data<double>()[i * p + k] =
          variance * c / (size[static_cast<std::size_t>(i)] * size[static_cast<std::size_t>(k)]);
    }
}

}  // namespace

std::vector<double> Fit::standard_errors() const {
  std::vector<double> out;
  const auto p = static_cast<Index>(coefficients.size());
  for (Index k = 0; k < p; ++k) out.push_back(std::sqrt(covariance.at<double>({k, k})));
  return out;
}

Fit linear_fit(const Array& x, const Array& y, const Array& given_weights) {
  if (x.axes() != 2 || y.axes() != 1 || x.extent(0) != y.size())
    fail(fmt::format("the matrix has shape {} and y {}: it must have one row for each y", text_of(x.shape()),
                     text_of(y.shape())));
  const Index n = x.extent(0), p = x.extent(1);
  if (p == 0) fail("there are no coefficients to fit");
  if (n < p) fail(fmt::format("{0} coefficients need at least {0} points, and there are {1}", p, n));
  refuse_not_finite(x, "x");
  refuse_not_finite(y, "y");
  const auto weights = checked_weights(given_weights, n);
  auto scaled = scaled_columns(x, weights);
  const auto values = y.converted(ElementType::float64).to_vector<double>();
  const auto factors = [&]() -> QrFactors {
    if (!is_tall(n, p)) return qr_factors(scaled.matrix);
    auto r = tall_qr_in_place(scaled.matrix);
    return {std::move(scaled.matrix), std::move(r)};
  };
  const auto qr = factors();
  const double* q = qr.q.data<double>();
  const double* r = qr.r.data<double>();
  double least = INFINITY, most = 0;
  for (Index k = 0; k < p; ++k) {
    least = std::min(least, std::fabs(r[k * p + k]));
    most = std::max(most, std::fabs(r[k * p + k]));
  }
  Fit fit;
  const auto matrix = x.converted(ElementType::float64).compact();
  const auto left_over = [&] {
    std::vector<double> rest(values.size());
    const double* row = matrix.data<double>();
    for (std::size_t k = 0; k < rest.size(); ++k, row += p) {
      long double sum = values[k];
      for (Index c = 0; c < p; ++c)
        sum -= static_cast<long double>(row[c]) * fit.coefficients[static_cast<std::size_t>(c)];
      rest[k] = static_cast<double>(sum);
    }
    return rest;
  };
  if (!(least > static_cast<double>(n) * std::numeric_limits<double>::epsilon() * most)) {
    Array right(ElementType::float64, {n});
    for (Index k = 0; k < n; ++k)
      right.mutable_data<double>()[k] =
          values[static_cast<std::size_t>(k)] * std::sqrt(weights[static_cast<std::size_t>(k)]);
    fit.coefficients = least_squares(scaled_columns(x, weights).matrix, right).x.to_vector<double>();
    for (std::size_t c = 0; c < fit.coefficients.size(); ++c) fit.coefficients[c] /= scaled.size[c];
    fit.condition = INFINITY;
    finish(fit, left_over(), values, weights, {}, scaled.size);
    return fit;
  }
  const auto inverse = inverse_triangle(r, p);
  fit.condition = norm(qr.r, 2) * norm(Array::of<double>({p, p}, std::span<const double>(inverse)), 2);
  fit.coefficients.assign(static_cast<std::size_t>(p), 0.0);
  // The second round corrects the first by its residuals.
  for (int round = 0; round < 2; ++round) {
    const auto rest = left_over();
    std::vector<double> projected(static_cast<std::size_t>(p));
    const double* row = q;
    for (std::size_t j = 0; j < rest.size(); ++j, row += p) {
      const double weighted = rest[j] * std::sqrt(weights[j]);
      for (Index k = 0; k < p; ++k) projected[static_cast<std::size_t>(k)] += row[k] * weighted;
    }
    for (Index i = 0; i < p; ++i) {
      double change = 0;
      for (Index k = i; k < p; ++k)
        change += inverse[static_cast<std::size_t>(i * p + k)] * projected[static_cast<std::size_t>(k)];
      fit.coefficients[static_cast<std::size_t>(i)] += change / scaled.size[static_cast<std::size_t>(i)];
    }
  }
  finish(fit, left_over(), values, weights, inverse, scaled.size);
  return fit;
}

std::vector<Index> dependent_columns(const Array& x) {
  if (x.axes() != 2 || x.size() == 0) return {};
  const auto scaled = scaled_columns(x, std::vector<double>(static_cast<std::size_t>(x.extent(0)), 1.0));
  const auto parts = singular_values(scaled.matrix);
  const auto sizes = parts.values.to_vector<double>();
  constexpr double nearly = 1e-10, matters = 0.1;
  if (static_cast<Index>(sizes.size()) < x.extent(1) || sizes.back() > nearly * sizes.front()) return {};
  // Columns in the last direction.
  std::vector<Index> out;
  const auto last = static_cast<Index>(sizes.size()) - 1;
  double most = 0;
  for (Index k = 0; k < x.extent(1); ++k) most = std::max(most, std::fabs(parts.v.at<double>({k, last})));
  for (Index k = 0; k < x.extent(1); ++k)
    if (std::fabs(parts.v.at<double>({k, last})) > matters * most) out.push_back(k + 1);
  return out;
}

Fit polynomial_fit(const Array& x, const Array& y, Index degree, const Array& weights) {
  if (x.axes() != 1 || y.axes() != 1 || x.size() != y.size())
    fail(fmt::format("x and y must be vectors of equal length, not of shapes {} and {}", text_of(x.shape()),
                     text_of(y.shape())));
  if (degree < 0 || degree > 1000)
    fail(fmt::format("the degree of a polynomial must be at least 0, not {}", degree));
  return linear_fit(vandermonde(x.converted(ElementType::float64), degree + 1), y, weights);
}

double student_factor(double confidence, Index freedom) {
  if (!(confidence > 0 && confidence < 1))
    fail(fmt::format("a confidence must be between 0 and 1, not {}", shortest(confidence)));
  if (freedom < 1) return kNan;
  return Distribution(DistributionKind::student_t, {static_cast<double>(freedom)})
      .quantile((1 + confidence) / 2);
}

}  // namespace quill
