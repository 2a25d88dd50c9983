// Fits of models that need not be straight in their parameters.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <utility>

#include "array/elementwise.h"
#include "numerics/fitting.h"
#include "numerics/linear_algebra.h"
#include "numerics/matrices.h"
#include "numerics/tall.h"
#include "numerics/weighted.h"

namespace quill {

namespace {

class LevenbergMarquardt {
 public:
  LevenbergMarquardt(const Model& model, std::vector<double> y, std::vector<double> weights,
                     std::vector<double> start, const FitOptions& options)
      : model_(model),
        options_(options),
        y_(std::move(y)),
        given_weights_(std::move(weights)),
        weights_(given_weights_),
        at_(std::move(start)) {
    for (std::size_t k = 0; k < at_.size(); ++k) {
      if (!options_.low.empty()) at_[k] = std::clamp(at_[k], options_.low[k], options_.high[k]);
      is_free_.push_back(options_.fixed.empty() || !options_.fixed[k]);
    }
  }

  Fit run() {
    bool converged = descend_well();
    if (options_.loss != Loss::squares) converged = follow_residuals() && converged;
    return finished(converged);
  }

 private:
  // A start far off: the first search may crawl or end on a plateau, and the bent steps go from there and,
  // when that is no better, from the start.
  bool descend_well() {
    const auto start = at_;
    constexpr int few = 3000, many = 8000;
    bool converged = descend(100, false, few);
    double least = squares(rest_at(at_));
    constexpr double poor = 0.1;  // of the spread about the mean
    for (const double damping : {1.0, 1e-4, 1e4}) {
      if ((converged && least < poor * spread_about_mean()) || evaluations_ >= options_.limit) break;
      const auto best = std::exchange(at_, start);
      const bool rests = descend(damping, true, many);
      const double sum = squares(rest_at(at_));
      if (sum < least) {
        least = sum;
        converged = rests;
      } else {
        at_ = best;
      }
    }
    polish();
    return converged;
  }

  double spread_about_mean() const {
    double total = 0, mean = 0, weight = 0;
    for (std::size_t k = 0; k < y_.size(); ++k) {
      mean += weights_[k] * y_[k];
      weight += weights_[k];
    }
    for (std::size_t k = 0; k < y_.size(); ++k) total += weights_[k] * std::pow(y_[k] - mean / weight, 2);
    return total;
  }

  // Undamped steps with derivatives as good as they get, while they shrink: the sum itself reports but half
  // of the digits.
  void polish() {
    auto rest = rest_at(at_);
    const auto rough = jacobian_at(at_);
    const auto moving = free_of_bounds(rough, rest);
    if (moving.empty()) return;
    bool is_straight = true;
    const auto jacobian = fine_jacobian_at(at_, moving, rough, is_straight);
    const double sum = squares(rest);
    if (is_straight && solve_straight(moving, sum)) return;
    double before = INFINITY;
    constexpr int most = 6;
    for (int k = 0; k < most && sum > 0; ++k) {
      const auto step = step_from(jacobian, rest, 0, moving);
      auto next = at_;
      double size = 0;
      for (std::size_t j = 0; j < moving.size(); ++j) {
        const auto i = moving[j];
        next[i] += step[j];
        if (!options_.low.empty()) next[i] = std::clamp(next[i], options_.low[i], options_.high[i]);
        size = std::max(size, std::fabs(step[j]) / (std::fabs(at_[i]) + 1e-300));
      }
      if (!(size < 0.3 * before) || size > 1e-3) return;
      const auto tried = rest_at(next);
      if (!(squares(tried) <= sum * (1 + 1e-6))) return;
      at_ = next;
      rest = tried;
      before = size;
    }
  }

  // A model that is straight in all its parameters is a linear problem, whose columns are known without
  // rounding from steps of 1 at 0.
  bool solve_straight(const std::vector<std::size_t>& moving, double sum) {
    auto origin = at_;
    for (const auto i : moving) origin[i] = 0;
    const auto base = rest_at(origin);
    const auto n = static_cast<Index>(base.size()), p = static_cast<Index>(moving.size());
    Array columns(ElementType::float64, {n, p});
    for (Index c = 0; c < p; ++c) {
      auto unit = origin;
      unit[moving[static_cast<std::size_t>(c)]] = 1;
      const auto moved = rest_at(unit);
      for (Index k = 0; k < n; ++k)
        columns.mutable_data<double>()[k * p + c] =
            base[static_cast<std::size_t>(k)] - moved[static_cast<std::size_t>(k)];
    }
    if (!std::all_of(base.begin(), base.end(), [](double x) { return std::isfinite(x); })) return false;
    const auto linear = linear_fit(columns, Array::vector(base), Array::vector(weights_));
    auto next = origin;
    for (std::size_t j = 0; j < moving.size(); ++j) next[moving[j]] = linear.coefficients[j];
    for (std::size_t i = 0; i < next.size(); ++i)
      if (!options_.low.empty() && (next[i] < options_.low[i] || next[i] > options_.high[i])) return false;
    // Straight to the last digits from 0 to there, and no worse.
    const auto rest = rest_at(next);
    for (Index k = 0; k < n; ++k) {
      double straight = base[static_cast<std::size_t>(k)], size = std::fabs(straight);
      for (Index c = 0; c < p; ++c) {
        const double part =
            columns.data<double>()[k * p + c] * linear.coefficients[static_cast<std::size_t>(c)];
        straight -= part;
        size += std::fabs(part);
      }
      constexpr double rounding = 64 * std::numeric_limits<double>::epsilon();
      if (!(std::fabs(straight - rest[static_cast<std::size_t>(k)]) <= rounding * size)) return false;
    }
    if (!(squares(rest) <= sum * (1 + 1e-6) + 1e-300)) return false;
    at_ = next;
    return true;
  }

  // Derivatives by differences of fourth order; for a parameter in which the model is a straight line by a
  // step of its own size, which loses nothing to rounding.
  Array fine_jacobian_at(const std::vector<double>& p, const std::vector<std::size_t>& moving,
                         const Array& rough, bool& is_straight) {
    auto out = rough.copied();
    double* to = out.mutable_data<double>();
    const auto m = p.size(), n = y_.size();
    const auto along = [&](std::size_t i, double h) {
      auto up = p, down = p;
      up[i] += h;
      down[i] -= h;
      rest_at(up, above_);
      rest_at(down, below_);
      std::vector<double> slope(n);
      for (std::size_t k = 0; k < n; ++k) slope[k] = (below_[k] - above_[k]) / (up[i] - down[i]);
      return slope;
    };
    for (const auto i : moving) {
      const double size = p[i] != 0 ? std::fabs(p[i]) : 1;
      const bool near_bound =
          !options_.low.empty() && std::min(p[i] - options_.low[i], options_.high[i] - p[i]) < size;
      if (near_bound) is_straight = false;
      if (near_bound) continue;
      const double h = 1e-3 * size;
      const auto near = along(i, h), far = along(i, 2 * h), wide = along(i, 0.5 * size);
      double largest = 0, off = 0, value = 0;
      for (std::size_t k = 0; k < n; ++k) {
        const double fourth = (4 * near[k] - far[k]) / 3;
        if (!std::isfinite(fourth)) {
          is_straight = false;
          return rough;
        }
        largest = std::max(largest, std::fabs(fourth));
        off = std::max(off, std::fabs(wide[k] - fourth));
        value = std::max(value, std::fabs(y_[k]));
      }
      const double rounding = 8 * std::numeric_limits<double>::epsilon() * (value / h + largest);
      is_straight = is_straight && off <= 1e-9 * largest;
      for (std::size_t k = 0; k < n; ++k)
        to[k * m + i] = off <= rounding ? wide[k] : (4 * near[k] - far[k]) / 3;
    }
    return out;
  }

  // Steps to the least sum of squares with the weights as they are; whether it came to rest. Bent steps
  // follow the model's curvature to second order (M. K. Transtrum, J. P. Sethna, 2012), measured by the
  // columns as they are now.
  bool descend(double damping, bool bent, int most) {
    auto rest = rest_at(at_);
    double sum = squares(rest), growth = 2, shrink = 3;
    if (!std::isfinite(sum))
      fail("the model is not finite at the start", "use a start nearer to the solution");
    Array jacobian = jacobian_at(at_);
    largest_.clear();
    std::vector<std::size_t> moving;
    std::optional<Plane> plane;  // at the current point
    for (int k = 0; k < most && evaluations_ < options_.limit; ++k) {
      if (!plane) {
        moving = free_of_bounds(jacobian, rest);
        if (moving.empty()) return true;
        plane = plane_of(jacobian, rest, moving);
      }
      if (bent) largest_.clear();
      auto step = step_in(*plane, damping, moving);
      if (bent && !bend(step, jacobian, rest, damping, moving)) {
        damping *= growth;
        growth *= 2;
        if (!(damping < 1e30)) return false;
        continue;
      }
      auto next = at_;
      double largest = 0;
      for (std::size_t j = 0; j < moving.size(); ++j) {
        const auto i = moving[j];
        next[i] += step[j];
        if (!options_.low.empty()) next[i] = std::clamp(next[i], options_.low[i], options_.high[i]);
        largest = std::max(largest, std::fabs(next[i] - at_[i]) / (std::fabs(at_[i]) + 1e-300));
      }
      rest_at(next, tried_);
      const double value = squares(tried_);
      if (value < sum || (value == sum && largest < 1e-12)) {
        const double gain = sum - value;
        at_ = next;
        rest.swap(tried_);
        sum = value;
        if (largest < 1e-12 || gain <= 1e-28 * sum || value == 0) return true;
        damping = std::max(damping / shrink, 1e-15);
        // The damping falls faster where the linear model predicts the gain.
        constexpr double true_enough = 0.9, soon = 100;
        shrink = gain > true_enough * gain_in(*plane, step) ? std::min(2 * shrink, soon) : 3;
        growth = 2;
        jacobian = jacobian_at(at_);
        plane.reset();
      } else {
        // No smaller sum nearby: the rest is rounding.
        if (largest < 1e-13) return true;
        shrink = 3;
        damping *= growth;
        growth *= 2;
        if (!(damping < 1e30)) return false;
      }
    }
    return false;
  }

  // Adds half the acceleration along a step; not when that is as large as the step itself.
  bool bend(std::vector<double>& step, const Array& jacobian, const std::vector<double>& rest, double damping,
            const std::vector<std::size_t>& moving) {
    constexpr double part = 0.1, most = 0.75;
    auto there = at_;
    for (std::size_t j = 0; j < moving.size(); ++j) there[moving[j]] += part * step[j];
    const auto after = rest_at(there);
    const auto p = at_.size();
    std::vector<double> curve(rest.size());
    for (std::size_t k = 0; k < rest.size(); ++k) {
      double slope = 0;
      for (std::size_t j = 0; j < moving.size(); ++j)
        slope += jacobian.data<double>()[k * p + moving[j]] * step[j];
      curve[k] = -2 / part * ((rest[k] - after[k]) / part - slope);
      if (!std::isfinite(curve[k])) return false;
    }
    const auto acceleration = step_from(jacobian, curve, damping, moving);
    double size = 0, change = 0;
    for (std::size_t j = 0; j < moving.size(); ++j) {
      const double scale = largest_[moving[j]];
      size += std::pow(scale * step[j], 2);
      change += std::pow(scale * acceleration[j], 2);
    }
    if (2 * std::sqrt(change) > most * std::sqrt(size)) return false;
    for (std::size_t j = 0; j < moving.size(); ++j) step[j] += acceleration[j] / 2;
    return true;
  }

  // Weights by the residuals, until the parameters stay.
  bool follow_residuals() {
    constexpr int most = 200;
    for (int k = 0; k < most; ++k) {
      const auto rest = rest_at(at_);
      const double spread = options_.weights_are_known ? 1 : spread_of(rest);
      if (spread == 0) return true;
      for (std::size_t i = 0; i < rest.size(); ++i)
        weights_[i] = given_weights_[i] * robust_weight(rest[i] * std::sqrt(given_weights_[i]) / spread);
      const auto before = at_;
      descend(1e-3, false, 500);
      double largest = 0;
      for (std::size_t i = 0; i < at_.size(); ++i)
        largest = std::max(largest, std::fabs(at_[i] - before[i]) / (std::fabs(before[i]) + 1e-300));
      if (largest < 1e-9) return true;
    }
    return false;
  }

  double spread_of(const std::vector<double>& rest) const {
    std::vector<double> sizes;
    for (std::size_t i = 0; i < rest.size(); ++i)
      if (given_weights_[i] > 0) sizes.push_back(std::fabs(rest[i]) * std::sqrt(given_weights_[i]));
    if (sizes.empty()) return 0;
    const auto middle = sizes.begin() + static_cast<std::ptrdiff_t>(sizes.size() / 2);
    std::nth_element(sizes.begin(), middle, sizes.end());
    return *middle / 0.6745;
  }

  // Replaces the variance about the fit for robust losses, with the given weights (P. J. Huber, Robust
  // Statistics, 1981, 7.6).
  double robust_variance(const std::vector<double>& rest, Index freedom) const {
    const double spread = spread_of(rest);
    if (spread == 0 || freedom < 1) return spread == 0 ? 0 : NAN;
    double squares_of_pull = 0, slope = 0, slope_squares = 0, count = 0;
    for (std::size_t i = 0; i < rest.size(); ++i) {
      if (given_weights_[i] == 0) continue;
      const double r = rest[i] * std::sqrt(given_weights_[i]) / spread, pull = r * robust_weight(r);
      constexpr double h = 1e-4;
      const double s = ((r + h) * robust_weight(r + h) - (r - h) * robust_weight(r - h)) / (2 * h);
      squares_of_pull += pull * pull;
      slope += s;
      slope_squares += s * s;
      ++count;
    }
    const double mean = slope / count, scatter = slope_squares / count - mean * mean;
    const double parameters = count - static_cast<double>(freedom);
    const double correction = 1 + parameters / count * scatter / (mean * mean);
    return std::pow(correction * spread / mean, 2) * squares_of_pull / static_cast<double>(freedom);
  }

  double robust_weight(double r) const {
    r = std::fabs(r);
    switch (options_.loss) {
      case Loss::huber: return r <= 1.345 ? 1 : 1.345 / r;
      case Loss::cauchy: return 1 / (1 + r * r / (2.385 * 2.385));
      case Loss::bisquare: return r < 4.685 ? std::pow(1 - r * r / (4.685 * 4.685), 2) : 0;
      case Loss::squares: break;
    }
    return 1;
  }

  Fit finished(bool converged) {
    const auto p = static_cast<Index>(at_.size()), n = static_cast<Index>(y_.size());
    const auto rest = rest_at(at_);
    const double sum = squares(rest);
    const auto jacobian = jacobian_at(at_);
    const auto moving = free_of_bounds(jacobian, rest);
    Fit fit;
    fit.converged = converged;
    fit.coefficients = at_;
    fit.degrees_of_freedom = n - static_cast<Index>(moving.size());
    fit.covariance = Array::filled<double>({p, p}, 0.0);
    if (!moving.empty()) {
      const bool is_robust = options_.loss != Loss::squares && !options_.weights_are_known;
      const double robust = is_robust ? robust_variance(rest, fit.degrees_of_freedom) : 0;
      if (is_robust) weights_ = given_weights_;
      const auto plane = plane_of(jacobian, rest, moving);
      const auto m = static_cast<Index>(moving.size());
      const auto r = qr_factors(plane.columns.matrix).r;
      double least = INFINITY, most = 0;
      for (Index k = 0; k < m; ++k) {
        least = std::min(least, std::fabs(r.at<double>({k, k})));
        most = std::max(most, std::fabs(r.at<double>({k, k})));
      }
      const bool is_determined =
          least > static_cast<double>(n) * std::numeric_limits<double>::epsilon() * most;
      const auto inverse = is_determined ? inverse_triangle(r.data<double>(), m)
                                         : std::vector<double>(static_cast<std::size_t>(m * m), NAN);
      fit.condition = is_determined
                          ? norm(r, 2) * norm(Array::of<double>({m, m}, std::span<const double>(inverse)), 2)
                          : INFINITY;
      const double variance = options_.weights_are_known   ? 1
                              : is_robust                  ? robust
                              : fit.degrees_of_freedom > 0 ? sum / static_cast<double>(fit.degrees_of_freedom)
                                                           : NAN;
      for (Index i = 0; i < m; ++i)
        for (Index k = 0; k < m; ++k) {
          double c = 0;
          for (Index j = 0; j < m; ++j)
            c += inverse[static_cast<std::size_t>(i * m + j)] * inverse[static_cast<std::size_t>(k * m + j)];
          const auto row = static_cast<std::size_t>(i), column = static_cast<std::size_t>(k);
          fit.covariance.mutable_data<double>()[static_cast<Index>(moving[row]) * p +
                                                static_cast<Index>(moving[column])] =
              variance * c / (plane.columns.size[row] * plane.columns.size[column]);
        }
    }
    const double total = spread_about_mean();
    fit.residual_norm = std::sqrt(sum);
    fit.r_squared = total > 0 ? 1 - sum / total : 1;
    fit.evaluations = evaluations_;
    return fit;
  }

  std::vector<double> rest_at(const std::vector<double>& p) {
    std::vector<double> out;
    rest_at(p, out);
    return out;
  }
  void rest_at(const std::vector<double>& p, std::vector<double>& out) {
    out.resize(y_.size());
    model_(p, out);
    for (std::size_t k = 0; k < out.size(); ++k) out[k] = y_[k] - out[k];
    ++evaluations_;
  }
  double squares(const std::vector<double>& rest) const {
    double sum = 0;
    for (std::size_t k = 0; k < rest.size(); ++k) sum += weights_[k] * rest[k] * rest[k];
    return std::isnan(sum) ? INFINITY : sum;
  }
  // The parameters that may move: not fixed, and not held by a bound that the sum falls beyond.
  std::vector<std::size_t> free_of_bounds(const Array& jacobian, const std::vector<double>& rest) const {
    std::vector<std::size_t> out;
    const auto p = at_.size();
    for (std::size_t i = 0; i < p; ++i) {
      if (!is_free_[i]) continue;
      if (!options_.low.empty()) {
        double downhill = 0;
        for (std::size_t k = 0; k < rest.size(); ++k)
          downhill += weights_[k] * rest[k] * jacobian.data<double>()[k * p + i];
        if ((at_[i] <= options_.low[i] && downhill <= 0) || (at_[i] >= options_.high[i] && downhill >= 0))
          continue;
      }
      out.push_back(i);
    }
    return out;
  }
  static Array columns_of(const Array& matrix, const std::vector<std::size_t>& which) {
    const Index n = matrix.extent(0), p = matrix.extent(1), m = static_cast<Index>(which.size());
    if (m == p) return matrix;
    Array out(ElementType::float64, {n, m});
    for (Index r = 0; r < n; ++r)
      for (Index c = 0; c < m; ++c)
        out.mutable_data<double>()[r * m + c] =
            matrix.data<double>()[r * p + static_cast<Index>(which[static_cast<std::size_t>(c)])];
    return out;
  }
  // Derivatives of the model.
  Array jacobian_at(const std::vector<double>& p) {
    if (p == jacobian_place_) return jacobian_;
    jacobian_ = differences_at(p);
    jacobian_place_ = p;
    return jacobian_;
  }
  Array differences_at(const std::vector<double>& p) {
    const auto n = static_cast<Index>(y_.size()), m = static_cast<Index>(p.size());
    auto out = Array::filled<double>({n, m}, 0.0);
    double* to = out.mutable_data<double>();
    for (Index c = 0; c < m; ++c) {
      const auto i = static_cast<std::size_t>(c);
      if (!is_free_[i]) continue;
      const double h = 6e-6 * (p[i] != 0 ? std::fabs(p[i]) : 1);
      auto up = p, down = p;
      up[i] += h;
      down[i] -= h;
      if (!options_.low.empty()) {
        up[i] = std::min(up[i], options_.high[i]);
        down[i] = std::max(down[i], options_.low[i]);
        if (up[i] == down[i]) continue;
      }
      rest_at(up, above_);
      rest_at(down, below_);
      for (Index r = 0; r < n; ++r) {
        const auto k = static_cast<std::size_t>(r);
        to[r * m + c] = (below_[k] - above_[k]) / (up[i] - down[i]);
        if (!std::isfinite(to[r * m + c]))
          fail("the model is not finite near the parameters", "use a start nearer to the solution");
      }
    }
    return out;
  }
  // Linearised model for the free parameters: columns of length 1 and the target, both weighted. For many
  // points only the triangular factor is kept, which has the same solution.
  struct Plane {
    Scaled columns;
    std::vector<double> right;
  };
  Plane plane_of(const Array& jacobian, const std::vector<double>& rest,
                 const std::vector<std::size_t>& moving) const {
    const Index n = jacobian.extent(0), p = static_cast<Index>(moving.size());
    const auto weighted = [&](Index k) {
      return rest[static_cast<std::size_t>(k)] * std::sqrt(weights_[static_cast<std::size_t>(k)]);
    };
    Plane out;
    if (!is_tall(n, p + 1)) {
      out.columns = scaled_columns(columns_of(jacobian, moving), weights_);
      for (Index k = 0; k < n; ++k) out.right.push_back(weighted(k));
      return out;
    }
    Array both(ElementType::float64, {n, p + 1});
    double* to = both.mutable_data<double>();
    const double* from = jacobian.data<double>();
    for (Index k = 0; k < n; ++k, from += jacobian.extent(1)) {
      const double root = std::sqrt(weights_[static_cast<std::size_t>(k)]);
      for (const auto i : moving) *to++ = from[i] * root;
      *to++ = weighted(k);
    }
    const auto triangle = tall_triangle(both);
    Array columns(ElementType::float64, {p, p});
    for (Index i = 0; i < p; ++i) {
      const double* row = triangle.data<double>() + i * (p + 1);
      std::copy_n(row, p, columns.mutable_data<double>() + i * p);
      out.right.push_back(row[p]);
    }
    out.columns = scaled_columns(columns, std::vector<double>(moving.size(), 1.0));
    return out;
  }
  std::vector<double> step_from(const Array& jacobian, const std::vector<double>& rest, double damping,
                                const std::vector<std::size_t>& moving) {
    return step_in(plane_of(jacobian, rest, moving), damping, moving);
  }
  // By how much a step makes the sum of squares of the plane smaller.
  static double gain_in(const Plane& plane, const std::vector<double>& step) {
    const auto p = step.size();
    const double* row = plane.columns.matrix.data<double>();
    double out = 0;
    for (const double right : plane.right) {
      double left = right;
      for (std::size_t k = 0; k < p; ++k) left -= row[k] * step[k] * plane.columns.size[k];
      out += right * right - left * left;
      row += p;
    }
    return out;
  }
  // The least squares solution in the plane, held back by the damping.
  std::vector<double> step_in(const Plane& plane, double damping, const std::vector<std::size_t>& moving) {
    const auto& scaled = plane.columns;
    const Index n = scaled.matrix.extent(0), p = static_cast<Index>(moving.size());
    // A parameter that has lost its influence on the way is held back as when it had it (J. J. Moré, 1978).
    largest_.resize(at_.size());
    Array matrix(ElementType::float64, {n + p, p}), right(ElementType::float64, {n + p});
    double* m = matrix.mutable_data<double>();
    double* b = right.mutable_data<double>();
    std::copy_n(scaled.matrix.data<double>(), n * p, m);
    std::fill_n(m + n * p, p * p, 0.0);
    for (Index k = 0; k < p; ++k) {
      const auto j = static_cast<std::size_t>(k);
      double& largest = largest_[moving[j]];
      largest = std::max(largest, scaled.size[j]);
      m[(n + k) * p + k] = std::sqrt(damping) * largest / scaled.size[j];
    }
    std::copy(plane.right.begin(), plane.right.end(), b);
    std::fill_n(b + n, p, 0.0);
    auto step = least_squares(matrix, right).x.to_vector<double>();
    for (std::size_t k = 0; k < step.size(); ++k) step[k] /= scaled.size[k];
    return step;
  }

  const Model& model_;
  const FitOptions& options_;
  std::vector<double> above_, below_, tried_;  // of evaluations, to be used again
  std::vector<double> y_, given_weights_, weights_, at_, largest_;
  std::vector<bool> is_free_;
  std::vector<double> jacobian_place_;  // where the last derivatives were taken
  Array jacobian_;
  Index evaluations_ = 0;
};

}  // namespace

Fit model_fit(const Model& model, const Array& y, std::vector<double> start, const FitOptions& options) {
  if (y.axes() != 1) fail(fmt::format("y must be a vector, not an array of shape {}", text_of(y.shape())));
  if (start.empty()) fail("a fit needs at least one parameter");
  if (y.size() < static_cast<Index>(start.size()))
    fail(fmt::format("{0} parameters need at least {0} points, and there are {1}", start.size(), y.size()));
  refuse_not_finite(y, "y");
  for (std::size_t k = 0; k < options.low.size(); ++k)
    if (!(options.low[k] <= options.high[k]))
      fail(fmt::format("the bounds of parameter {} are {} and {}: the lower one must come first", k + 1,
                       shortest(options.low[k]), shortest(options.high[k])));
  return LevenbergMarquardt(model, y.converted(ElementType::float64).to_vector<double>(),
                            checked_weights(options.weights, y.size()), std::move(start), options)
      .run();
}

}  // namespace quill
