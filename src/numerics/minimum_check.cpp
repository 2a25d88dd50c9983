#include "numerics/minimum_check.h"

#include <fmt/format.h>
#include <lapacke.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include "base/error.h"
#include "numerics/differences.h"

namespace quill {

namespace {

constexpr double kEpsilon = std::numeric_limits<double>::epsilon();
constexpr double kAlike = 1e-6;  // violations that differ less are as bad
using enum MinimizeMethod;

// The eigenvectors of a symmetric matrix, as rows, and its eigenvalues.
bool take_axes(std::vector<double>& matrix, std::vector<double>& values) {
  const auto n = static_cast<lapack_int>(values.size());
  for (const double x : matrix)
    if (!std::isfinite(x)) return false;
  return LAPACKE_dsyev(LAPACK_COL_MAJOR, 'V', 'U', n, matrix.data(), n, values.data()) == 0;
}

}  // namespace

// A point beside x by about `part` of the sizes, inside the bounds; another one at each call.
MinimumCheck::Point MinimumCheck::beside(const Point& x, double part) {
  constexpr double golden = 0.6180339887498949;
  auto out = x;
  for (std::size_t k = 0; k < x.size(); ++k) {
    const double turn = golden * static_cast<double>(++draws_);
    const double u = 2 * (turn - std::floor(turn)) - 1;
    out[k] += part * search_.sizes()[k] * (u < 0 ? u - 0.5 : u + 0.5);
  }
  search_.clamp(out);
  return out;
}

bool MinimumCheck::try_at(const Point& x) {
  auto inside = x;
  search_.clamp(inside);
  const double y = search_.value(inside);
  if (!(y < best_.value)) return false;
  best_.value = y;
  best_.at = std::move(inside);
  return true;
}

// The rounding of the value: second differences over distances where those of a smooth function are
// negligible.
double MinimumCheck::noise_at(const Minimum& m) {
  constexpr int times = 3;
  double out = INFINITY;
  for (const double way : {1e-9, 1e-11, 1e-13}) {
    double largest = 0;
    for (int k = 0; k < times; ++k) {
      const auto up = beside(m.at, way);
      auto down = up;
      for (std::size_t i = 0; i < up.size(); ++i) down[i] = 2 * m.at[i] - up[i];
      search_.clamp(down);
      const double bend = std::fabs(search_.value(up) - m.value + (search_.value(down) - m.value));
      if (std::isfinite(bend)) largest = std::max(largest, bend);
    }
    out = std::min(out, largest);
  }
  return std::max(out, 4 * kEpsilon * std::fabs(m.value));
}

// Tries steps of all lengths down a direction, to both sides where the slope is not known.
void MinimumCheck::look_along(const Point& x, const Point& direction, bool is_slope_known) {
  const double before = best_.value;
  constexpr int shortest_step = -17, longest_step = 100, most_worse = 2;
  for (const double sign : {-1.0, 1.0}) {
    int worse = 0;
    Point last;
    for (int k = shortest_step; k < longest_step && worse < most_worse; ++k) {
      auto at = x;
      for (std::size_t i = 0; i < x.size(); ++i) at[i] += sign * std::exp2(3.0 * k) * direction[i];
      search_.clamp(at);
      if (at == last || at == x) {
        if (k > 0) break;  // at a bound
        continue;
      }
      const double y = search_.value(at);
      if (!std::isfinite(y) || search_.is_at_limit()) break;
      worse = y > before + least_gain_ ? worse + 1 : 0;
      if (y < best_.value) {
        best_.value = y;
        best_.at = at;
      }
      last = std::move(at);
    }
    if (is_slope_known) return;
  }
}

// Along the gradient and along each coordinate: a search that starts at 0 does not know how large a
// coordinate is, and may not have left its start.
void MinimumCheck::along_gradient(const Point& x, const Point& gradient) {
  const auto& sizes = search_.sizes();
  double steepest = 0;
  for (std::size_t k = 0; k < x.size(); ++k) steepest = std::max(steepest, std::fabs(gradient[k]) * sizes[k]);
  if (std::isinf(steepest) || std::isnan(steepest)) return;
  Point direction(x.size());
  if (steepest > 0) {
    for (std::size_t k = 0; k < x.size(); ++k) direction[k] = sizes[k] * (gradient[k] * sizes[k] / steepest);
    look_along(x, direction, true);
  }
  constexpr std::size_t few = 30;
  for (std::size_t k = 0; k < x.size() && x.size() <= few; ++k) {
    if (gradient[k] != 0 && looks_ > 2 && x.size() > 5) continue;
    std::fill(direction.begin(), direction.end(), 0.0);
    direction[k] = std::copysign(sizes[k], gradient[k]);
    look_along(x, direction, gradient[k] != 0);
  }
}

// Newton's method with differences, as long as the value falls; then steps along the eigenvectors of the
// second derivatives, since a search by gradients stops early along those of small eigenvalues.
void MinimumCheck::by_model(Point gradient, double noise) {
  constexpr std::size_t most = 30;
  constexpr int most_rounds = 40;
  const auto n = gradient.size();
  if (n > most) return;
  constexpr int most_poor = 3;
  int poor = 0;
  for (int round = 0; round < most_rounds && poor < most_poor && !search_.is_at_limit(); ++round) {
    const auto from = best_;
    const auto model = model_at(from, gradient, noise);
    if (!model) return;
    const auto moved = [&](std::span<const double> by, double times) {
      auto x = from.at;
      for (std::size_t k = 0; k < n; ++k) x[k] += times * by[k] * search_.sizes()[k];
      return x;
    };
    for (const double part : {1.0, 0.5, 0.1, 0.01})
      if (try_at(moved(model->step, part))) break;
    if (!(from.value - best_.value > least_gain_)) {
      for (std::size_t a = 0; a < n; ++a)
        for (const double part : {1e-2, 1e-3, 1e-4, 1e-5})
          for (const double sign : {1.0, -1.0}) try_at(moved({&model->axes[a * n], n}, sign * part));
      return;
    }
    if (from.value - best_.value < 0.01 * std::fabs(from.value)) ++poor;
    search_.reach(best_.at);
    search_.gradient(best_.at, gradient);
  }
}

std::optional<MinimumCheck::Model> MinimumCheck::model_at(const Minimum& m, const Point& gradient,
                                                          double noise) {
  const auto n = m.at.size();
  constexpr double h = 1e-4;
  const auto& sizes = search_.sizes();
  const auto at = [&](std::size_t i, double a, std::size_t j, double b) {
    auto x = m.at;
    x[i] += a * h * sizes[i];
    if (j != i) x[j] += b * h * sizes[j];
    auto inside = x;
    search_.clamp(inside);
    // At a bound the model has no curvature in that direction.
    return inside == x ? search_.value(x) : m.value;
  };
  Model out{std::vector<double>(n * n), std::vector<double>(n)};
  auto& axes = out.axes;
  std::vector<double> curvature(n), up(n), down(n);
  for (std::size_t i = 0; i < n; ++i) {
    up[i] = at(i, 1, i, 0);
    down[i] = at(i, -1, i, 0);
    axes[i * n + i] = (up[i] + down[i] - 2 * m.value) / (h * h);
  }
  for (std::size_t i = 0; i < n; ++i)
    for (std::size_t j = 0; j < i; ++j)
      axes[i * n + j] = axes[j * n + i] =
          (at(i, 1, j, 1) + at(i, -1, j, -1) - up[i] - up[j] - down[i] - down[j] + 2 * m.value) / (2 * h * h);
  if (!take_axes(axes, curvature)) return std::nullopt;
  const double least = std::max(noise / (h * h), kEpsilon * std::fabs(curvature.back()));
  for (std::size_t a = 0; a < n; ++a) {
    double along = 0;
    for (std::size_t k = 0; k < n; ++k) along += axes[a * n + k] * gradient[k] * sizes[k];
    const double length = -along / std::max(std::fabs(curvature[a]), least);
    for (std::size_t k = 0; k < n; ++k) out.step[k] += length * axes[a * n + k];
  }
  return out;
}

void MinimumCheck::by_searches(const Minimum& m) {
  const auto run = [&](MinimizeMethod method, double part) {
    if (search_.is_at_limit()) return;
    auto next = search_.run(method, beside(m.at, part));
    if (next.value < best_.value) best_ = std::move(next);
  };
  run(lbfgs, 1e-3);
  const bool is_without_derivatives = options_.method == nelder_mead || options_.method == bobyqa;
  constexpr std::size_t few = 12;
  if ((is_without_derivatives || !first_.converged) && m.at.size() <= few) run(nelder_mead, 1e-3);
}

// Takes the best point found if it is a different one.
bool MinimumCheck::take(Minimum& m) {
  if (!(m.value - best_.value > least_gain_)) return false;
  constexpr double far = 1e-6;
  double moved = 0;
  for (std::size_t k = 0; k < m.at.size(); ++k) {
    const double way = std::fabs(best_.at[k] - m.at[k]);
    if (way > 0)
      moved = std::max(moved, way / std::max(std::fabs(m.at[k]), std::min(search_.sizes()[k], way)));
  }
  if (!(moved > far)) return false;
  m = best_;
  search_.reach(m.at);
  return true;
}

bool MinimumCheck::improve(Minimum& m) {
  search_.reach(m.at);
  best_ = m;
  ++looks_;
  const double noise = noise_at(m);
  Point gradient(m.at.size());
  search_.gradient(m.at, gradient);
  // Negligible compared with the values at the start.
  constexpr double nothing = 1e-30;
  const double zero = nothing * std::fabs(search_.first_value());
  least_gain_ = 10 * noise + zero;
  if (has_constraints()) {
    // Values change within the tolerance of constraints.
    constexpr double part = 1e-6;
    for (std::size_t k = 0; k < gradient.size(); ++k)
      least_gain_ += part * std::fabs(gradient[k]) * search_.sizes()[k];
    for (const double beside_by : {1e-2, 0.1}) {
      if (search_.is_at_limit()) break;
      auto next = search_.run(slsqp, beside(m.at, beside_by));
      if (next.value < best_.value && worst_violation(next.at).size <= 0) best_ = std::move(next);
    }
    return take(m);
  }
  along_gradient(m.at, gradient);
  if (best_.value < m.value) {
    search_.reach(best_.at);
    search_.gradient(best_.at, gradient);
  }
  by_model(gradient, noise);
  if (take(m)) return true;
  by_searches(m);
  if (take(m)) return true;
  if (!(best_.value < m.value)) return false;
  // The sizes of the coordinates, and with them the roundings, may have been taken for too large there.
  search_.reach(best_.at);
  least_gain_ = std::min(least_gain_, 10 * noise_at(best_) + zero);
  return take(m);
}

// The constraint that is exceeded most by more than roundings; of size 0 where all are met.
MinimumCheck::Violation MinimumCheck::worst_violation(std::span<const double> x) {
  constexpr double allowed = 1e-7, part = 0.01;
  Violation worst;
  auto typical = search_.sizes();
  for (auto& size : typical) size *= part;
  const auto look = [&](const VectorFunction& g, std::size_t count, bool is_equality) {
    if (count == 0) return;
    std::vector<double> values(count), rows(count * x.size());
    g(x, values);
    central_differences(g, x, typical, count, rows);
    for (std::size_t i = 0; i < count; ++i) {
      // How much it changes over the sizes of the coordinates.
      double size = 0;
      for (std::size_t k = 0; k < x.size(); ++k)
        size += std::fabs(rows[i * x.size() + k]) * search_.sizes()[k];
      const double excess = is_equality ? std::fabs(values[i]) : std::max(values[i], 0.0);
      if (std::isnan(values[i]) || excess > allowed * size) {
        const double relative = size > 0 && !std::isnan(values[i]) ? excess / size : HUGE_VAL;
        if (relative > worst.size * (1 + kAlike)) worst = {relative, values[i], i, is_equality};
      }
    }
  };
  look(options_.below, options_.below_count, false);
  look(options_.equal, options_.equal_count, true);
  return worst;
}

void MinimumCheck::make_feasible(Minimum& m) {
  auto worst = worst_violation(m.at);
  if (worst.size <= 0) return;
  // Minimises the sum of squared constraint violations.
  auto free = options_;
  free.below_count = free.equal_count = 0;
  free.gradient = {};
  free.limit = std::max<Index>(1, options_.limit - search_.evaluations());
  std::vector<double> below(options_.below_count), equal(options_.equal_count);
  const ScalarFunction excess = [&](std::span<const double> x) {
    double sum = 0;
    if (!below.empty()) options_.below(x, below);
    if (!equal.empty()) options_.equal(x, equal);
    for (const double g : below) sum += g > 0 ? g * g : 0;
    for (const double h : equal) sum += h * h;
    return sum;
  };
  Point nearest = m.at;
  constexpr int attempts = 6;
  for (int k = 0; k < attempts; ++k) {
    const auto from = k == 0 ? m.at : beside(m.at, 0.01 * std::pow(5, k - 1));
    MinimumSearch search(excess, free, from);
    const auto found = search.run(lbfgs, from);
    const auto there = worst_violation(found.at);
    if (there.size < worst.size * (1 - kAlike)) {
      worst = there;
      nearest = found.at;
    }
    if (worst.size <= 0) break;
  }
  if (worst.size > 0)
    fail(fmt::format("no point satisfies all constraints: at {} number {} of `{}` is {}", point_text(nearest),
                     worst.which + 1, worst.is_equality ? "equal" : "constraints",
                     with_digits(worst.value, 3)),
         worst.is_equality ? "it must be 0" : "it must be 0 or below");
  m.at = nearest;
  m.value = search_.value(nearest);
  auto next = search_.run(slsqp, nearest);
  if (next.value < m.value && worst_violation(next.at).size <= 0) m = std::move(next);
}

}  // namespace quill
