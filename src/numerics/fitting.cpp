#include "numerics/fitting.h"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <limits>

#include "array/elementwise.h"
#include "array/rearrange.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"

namespace quill {

namespace {

constexpr double kNan = std::numeric_limits<double>::quiet_NaN();

std::vector<double> checked_weights(const Array& weights, Index n) {
  if (weights.size() == 0) return std::vector<double>(static_cast<std::size_t>(n), 1.0);
  if (weights.axes() != 1 || weights.size() != n)
    fail(fmt::format("there are {} points and weights of shape {}", n, text_of(weights.shape())));
  auto out = weights.converted(ElementType::float64).to_vector<double>();
  for (const double w : out)
    if (!(w >= 0) || std::isinf(w))
      fail(fmt::format("a weight is a finite number from 0, not {}", shortest(w)));
  return out;
}

// R⁻¹ of an upper triangle.
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

struct Scaled {
  Array matrix;              // rows times the root of their weight, columns of length 1
  std::vector<double> size;  // of the columns before
};

Scaled scaled_columns(const Array& x, const std::vector<double>& weights) {
  const Index n = x.extent(0), p = x.extent(1);
  Scaled out{x.converted(ElementType::float64).copied(), std::vector<double>(static_cast<std::size_t>(p))};
  double* m = out.matrix.mutable_data<double>();
  for (Index c = 0; c < p; ++c) {
    double largest = 0, sum = 0;
    for (Index r = 0; r < n; ++r) {
      m[r * p + c] *= std::sqrt(weights[static_cast<std::size_t>(r)]);
      largest = std::max(largest, std::fabs(m[r * p + c]));
    }
    if (largest == 0) largest = 1;
    for (Index r = 0; r < n; ++r) sum += (m[r * p + c] / largest) * (m[r * p + c] / largest);
    const double size = sum > 0 ? largest * std::sqrt(sum) : 1;
    out.size[static_cast<std::size_t>(c)] = size;
    for (Index r = 0; r < n; ++r) m[r * p + c] /= size;
  }
  return out;
}

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
  fit.residual = std::sqrt(sum);
  fit.r_squared = total > 0 ? 1 - sum / total : 1;
  fit.freedom = static_cast<Index>(y.size()) - p;
  fit.covariance = Array(ElementType::float64, {p, p});
  const double variance = fit.freedom > 0 ? sum / static_cast<double>(fit.freedom) : kNan;
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
    fail(fmt::format("the matrix has shape {} and y {}: it has one row for each y", text_of(x.shape()),
                     text_of(y.shape())));
  const Index n = x.extent(0), p = x.extent(1);
  if (p == 0) fail("there is no coefficient to fit");
  if (n < p) fail(fmt::format("{} coefficients need at least as many points, and there are {}", p, n));
  refuse_nan(x, "x");
  refuse_nan(y, "y");
  const auto weights = checked_weights(given_weights, n);
  const auto scaled = scaled_columns(x, weights);
  const auto values = y.converted(ElementType::float64).to_vector<double>();
  const auto qr = qr_factors(scaled.matrix);
  const double* q = qr.q.data<double>();
  const double* r = qr.r.data<double>();
  double least = INFINITY, most = 0;
  for (Index k = 0; k < p; ++k) {
    least = std::min(least, std::fabs(r[k * p + k]));
    most = std::max(most, std::fabs(r[k * p + k]));
  }
  Fit fit;
  const auto matrix = x.converted(ElementType::float64).to_vector<double>();
  const auto left_over = [&] {
    std::vector<double> rest(values.size());
    for (std::size_t k = 0; k < rest.size(); ++k) {
      long double sum = values[k];
      for (Index c = 0; c < p; ++c)
        sum -=
            static_cast<long double>(matrix[k * static_cast<std::size_t>(p) + static_cast<std::size_t>(c)]) *
            fit.coefficients[static_cast<std::size_t>(c)];
      rest[k] = static_cast<double>(sum);
    }
    return rest;
  };
  if (!(least > static_cast<double>(n) * std::numeric_limits<double>::epsilon() * most)) {
    Array right(ElementType::float64, {n});
    for (Index k = 0; k < n; ++k)
      right.mutable_data<double>()[k] =
          values[static_cast<std::size_t>(k)] * std::sqrt(weights[static_cast<std::size_t>(k)]);
    fit.coefficients = least_squares(scaled.matrix, right).x.to_vector<double>();
    for (std::size_t c = 0; c < fit.coefficients.size(); ++c) fit.coefficients[c] /= scaled.size[c];
    fit.condition = INFINITY;
    finish(fit, left_over(), values, weights, {}, scaled.size);
    return fit;
  }
  const auto inverse = inverse_triangle(r, p);
  fit.condition = norm(qr.r, 2) * norm(Array::of<double>({p, p}, std::span<const double>(inverse)), 2);
  fit.coefficients.assign(static_cast<std::size_t>(p), 0.0);
  // The second round corrects the first by what it left over.
  for (int round = 0; round < 2; ++round) {
    const auto rest = left_over();
    for (Index i = 0; i < p; ++i) {
      double change = 0;
      for (Index k = i; k < p; ++k) {
        double projected = 0;
        for (Index j = 0; j < n; ++j)
          projected += q[j * p + k] * rest[static_cast<std::size_t>(j)] *
                       std::sqrt(weights[static_cast<std::size_t>(j)]);
        change += inverse[static_cast<std::size_t>(i * p + k)] * projected;
      }
      fit.coefficients[static_cast<std::size_t>(i)] += change / scaled.size[static_cast<std::size_t>(i)];
    }
  }
  finish(fit, left_over(), values, weights, inverse, scaled.size);
  return fit;
}

Fit polynomial_fit(const Array& x, const Array& y, Index degree, const Array& weights) {
  if (x.axes() != 1 || y.axes() != 1 || x.size() != y.size())
    fail(fmt::format("x and y are vectors of one length, not of shapes {} and {}", text_of(x.shape()),
                     text_of(y.shape())));
  if (degree < 0 || degree > 1000) fail(fmt::format("the degree of a polynomial is from 0, not {}", degree));
  return linear_fit(vandermonde(x.converted(ElementType::float64), degree + 1), y, weights);
}

namespace {

class LevenbergMarquardt {
 public:
  LevenbergMarquardt(const Model& model, std::vector<double> y, std::vector<double> weights,
                     std::vector<double> start)
      : model_(model), y_(std::move(y)), weights_(std::move(weights)), at_(std::move(start)) {}

  Fit run() {
    const auto p = static_cast<Index>(at_.size());
    auto rest = rest_at(at_);
    double sum = squares(rest), damping = 100, growth = 2;
    if (!std::isfinite(sum))
      fail("the model is not finite at the start", "a start nearer to the solution helps");
    Array jacobian = jacobian_at(at_);
    Fit fit;
    fit.converged = false;
    constexpr int most = 500;
    for (int k = 0; k < most && !fit.converged; ++k) {
      const auto step = step_from(jacobian, rest, damping);
      auto next = at_;
      double largest = 0;
      for (std::size_t i = 0; i < next.size(); ++i) {
        next[i] += step[i];
        largest = std::max(largest, std::fabs(step[i]) / (std::fabs(at_[i]) + 1e-12));
      }
      const auto tried = rest_at(next);
      const double value = squares(tried);
      if (value < sum || (value == sum && largest < 1e-12)) {
        const double gain = sum - value;
        at_ = next;
        rest = tried;
        fit.converged = largest < 1e-12 || gain <= 1e-28 * sum || value == 0;
        sum = value;
        damping = std::max(damping / 3, 1e-15);
        growth = 2;
        if (!fit.converged) jacobian = jacobian_at(at_);
      } else {
        // No smaller sum anywhere near: what is left is rounding.
        fit.converged = largest < 1e-13;
        damping *= growth;
        growth *= 2;
        if (!(damping < 1e30)) break;
      }
    }
    fit.coefficients = at_;
    const auto linear = linear_fit(jacobian_at(at_), Array::vector(y_), Array::vector(weights_));
    fit.condition = linear.condition;
    fit.evaluations = evaluations_;
    double total = 0, mean = 0, weight = 0;
    for (std::size_t k = 0; k < y_.size(); ++k) {
      mean += weights_[k] * y_[k];
      weight += weights_[k];
    }
    for (std::size_t k = 0; k < y_.size(); ++k) total += weights_[k] * std::pow(y_[k] - mean / weight, 2);
    fit.residual = std::sqrt(sum);
    fit.r_squared = total > 0 ? 1 - sum / total : 1;
    fit.freedom = static_cast<Index>(y_.size()) - p;
    // The covariance of the linear problem has its own variance; ours takes its place.
    const double own = linear.residual * linear.residual;
    fit.covariance = own > 0 ? apply(Binary::multiply, linear.covariance, sum / own) : linear.covariance;
    return fit;
  }

 private:
  std::vector<double> rest_at(const std::vector<double>& p) {
    auto out = model_(p);
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = y_[k] - out[k];
    ++evaluations_;
    return out;
  }
  double squares(const std::vector<double>& rest) const {
    double sum = 0;
    for (std::size_t k = 0; k < rest.size(); ++k) sum += weights_[k] * rest[k] * rest[k];
    return std::isnan(sum) ? INFINITY : sum;
  }
  // Derivatives of the model.
  Array jacobian_at(const std::vector<double>& p) {
    const auto n = static_cast<Index>(y_.size()), m = static_cast<Index>(p.size());
    Array out(ElementType::float64, {n, m});
    double* to = out.mutable_data<double>();
    for (Index c = 0; c < m; ++c) {
      const auto i = static_cast<std::size_t>(c);
      const double h = 6e-6 * (p[i] != 0 ? std::fabs(p[i]) : 1);
      auto up = p, down = p;
      up[i] += h;
      down[i] -= h;
      const auto above = rest_at(up), below = rest_at(down);
      for (Index r = 0; r < n; ++r) {
        const auto k = static_cast<std::size_t>(r);
        to[r * m + c] = (below[k] - above[k]) / (up[i] - down[i]);
        if (!std::isfinite(to[r * m + c]))
          fail("the model is not finite near the parameters", "a start nearer to the solution helps");
      }
    }
    return out;
  }
  // The least squares solution of the model's plane, held back by the damping.
  std::vector<double> step_from(const Array& jacobian, const std::vector<double>& rest, double damping) {
    const Index n = jacobian.extent(0), p = jacobian.extent(1);
    const auto scaled = scaled_columns(jacobian, weights_);
    // A parameter that has lost its influence on the way is held back as when it had it (J. J. Moré, 1978).
    largest_.resize(scaled.size.size());
    for (std::size_t k = 0; k < largest_.size(); ++k) largest_[k] = std::max(largest_[k], scaled.size[k]);
    Array matrix(ElementType::float64, {n + p, p}), right(ElementType::float64, {n + p});
    double* m = matrix.mutable_data<double>();
    double* b = right.mutable_data<double>();
    std::copy_n(scaled.matrix.data<double>(), n * p, m);
    std::fill_n(m + n * p, p * p, 0.0);
    for (Index k = 0; k < p; ++k)
      m[(n + k) * p + k] = std::sqrt(damping) * largest_[static_cast<std::size_t>(k)] /
                           scaled.size[static_cast<std::size_t>(k)];
    for (Index k = 0; k < n; ++k)
      b[k] = rest[static_cast<std::size_t>(k)] * std::sqrt(weights_[static_cast<std::size_t>(k)]);
    std::fill_n(b + n, p, 0.0);
    auto step = least_squares(matrix, right).x.to_vector<double>();
    for (std::size_t k = 0; k < step.size(); ++k) step[k] /= scaled.size[k];
    return step;
  }

  const Model& model_;
  std::vector<double> y_, weights_, at_, largest_;
  Index evaluations_ = 0;
};

}  // namespace

Fit model_fit(const Model& model, const Array& y, std::vector<double> start, const Array& weights) {
  if (y.axes() != 1) fail(fmt::format("y is a vector, not an array of shape {}", text_of(y.shape())));
  if (start.empty()) fail("a fit has at least one parameter");
  if (y.size() < static_cast<Index>(start.size()))
    fail(fmt::format("{} parameters need at least as many points, and there are {}", start.size(), y.size()));
  refuse_nan(y, "y");
  return LevenbergMarquardt(model, y.converted(ElementType::float64).to_vector<double>(),
                            checked_weights(weights, y.size()), std::move(start))
      .run();
}

double student_factor(double confidence, Index freedom) {
  if (!(confidence > 0 && confidence < 1))
    fail(fmt::format("a confidence is between 0 and 1, not {}", shortest(confidence)));
  if (freedom < 1) return kNan;
  return boost::math::quantile(boost::math::students_t(static_cast<double>(freedom)), (1 + confidence) / 2);
}

}  // namespace quill
