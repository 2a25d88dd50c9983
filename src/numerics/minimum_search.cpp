#include "numerics/minimum_search.h"

#include <fmt/format.h>
#include <nlopt.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <utility>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/differences.h"

namespace quill {

namespace {

// Steps of differences go by this part of a coordinate's size at least.
constexpr double kPart = 0.01;

nlopt_algorithm algorithm_of(MinimizeMethod method) {
  switch (method) {
    case MinimizeMethod::slsqp: return NLOPT_LD_SLSQP;
    case MinimizeMethod::nelder_mead: return NLOPT_LN_NELDERMEAD;
    case MinimizeMethod::bobyqa: return NLOPT_LN_BOBYQA;
    case MinimizeMethod::random_search: return NLOPT_GN_CRS2_LM;
    default: return NLOPT_LD_LBFGS;
  }
}

bool uses_gradient(MinimizeMethod m) { return m == MinimizeMethod::lbfgs || m == MinimizeMethod::slsqp; }

}  // namespace

MinimumSearch::MinimumSearch(const ScalarFunction& f, const MinimizeOptions& options, const Point& start)
    : f_(f), options_(options), reached_(start), sizes_(start.size()) {
  for (std::size_t k = 0; k < start.size(); ++k) {
    const double width = options.low.empty() ? INFINITY : options.high[k] - options.low[k];
    sizes_[k] = start[k] != 0 ? std::fabs(start[k]) : std::isfinite(width) && width > 0 ? width : 1;
  }
}

void MinimumSearch::reach(std::span<const double> x) {
  // Slowly smaller, for a coordinate that goes to 0.
  constexpr double least = 0.03;
  for (std::size_t k = 0; k < x.size(); ++k) {
    sizes_[k] = std::max({std::fabs(x[k]), std::fabs(x[k] - reached_[k]), least * sizes_[k]});
    reached_[k] = x[k];
  }
}

void MinimumSearch::clamp(std::span<double> x) const {
  if (options_.low.empty()) return;
  for (std::size_t k = 0; k < x.size(); ++k) x[k] = std::clamp(x[k], options_.low[k], options_.high[k]);
}

double MinimumSearch::value(std::span<const double> x) {
  is_at_limit_ = false;
  const double y = value_at(x);
  return is_at_limit_ ? HUGE_VAL : y;
}

Minimum MinimumSearch::run(MinimizeMethod method, const Point& start) {
  const auto n = static_cast<unsigned>(start.size());
  const std::unique_ptr<nlopt_opt_s, decltype(&nlopt_destroy)> opt(nlopt_create(algorithm_of(method), n),
                                                                   nlopt_destroy);
  if (!opt) fail("not enough memory for the search");
  opt_ = opt.get();
  nlopt_set_min_objective(opt_, call_value, this);
  if (!options_.low.empty()) {
    nlopt_set_lower_bounds(opt_, options_.low.data());
    nlopt_set_upper_bounds(opt_, options_.high.data());
  }
  const Point exact(std::max(options_.below_count, options_.equal_count), 1e-10);
  if (options_.below_count)
    nlopt_add_inequality_mconstraint(opt_, static_cast<unsigned>(options_.below_count), call_below, this,
                                     exact.data());
  if (options_.equal_count)
    nlopt_add_equality_mconstraint(opt_, static_cast<unsigned>(options_.equal_count), call_equal, this,
                                   exact.data());
  if (method == MinimizeMethod::lbfgs) nlopt_set_vector_storage(opt_, std::min(n, 20U));
  nlopt_set_xtol_rel(opt_, options_.relative);
  nlopt_set_ftol_rel(opt_, 1e-15);
  // Enough for gradient methods; slow progress is better served by another method.
  const Index most = uses_gradient(method) ? 500 + 20 * Index{n} : Index{1} << 30;
  nlopt_set_maxeval(opt_, static_cast<int>(std::clamp<Index>(options_.limit - evaluations_, 1, most)));
  if (!uses_gradient(method)) set_first_steps(start);
  if (method == MinimizeMethod::random_search) {
    nlopt_srand(1);
    nlopt_set_population(opt_, 60 * (n + 1));
  }
  best_ = INFINITY;
  best_at_ = start;
  auto x = start;
  double value = 0;
  is_at_limit_ = false;
  const auto result = nlopt_optimize(opt_, x.data(), &value);
  opt_ = nullptr;
  if (failure_) std::rethrow_exception(failure_);
  Minimum out;
  // The library's last point, or where roundings stopped it the best one seen.
  const bool has_constraints = options_.below_count + options_.equal_count > 0;
  if (result > 0 || has_constraints) {
    out.at = x;
    out.value = has_constraints ? f_(x) : value;
  }
  if (!has_constraints && (out.at.empty() || best_ < out.value)) {
    out.at = best_at_;
    out.value = best_;
  }
  out.evaluations = evaluations_;
  out.method = name_of(method);
  out.converged = (result > 0 && result != NLOPT_MAXEVAL_REACHED && result != NLOPT_MAXTIME_REACHED) ||
                  (result == NLOPT_ROUNDOFF_LIMITED && !is_at_limit_);
  if (is_at_limit_) out.converged = false;
  reach(out.at);
  return out;
}

// First steps by the size of each coordinate, inside the bounds.
void MinimumSearch::set_first_steps(const Point& start) {
  Point steps(start.size());
  for (std::size_t k = 0; k < start.size(); ++k) {
    steps[k] = start[k] != 0 ? 0.1 * std::fabs(start[k]) : 0.1 * sizes_[k];
    if (!options_.low.empty()) {
      const double up = options_.high[k] - start[k], down = start[k] - options_.low[k];
      if (std::max(up, down) > 0) steps[k] = std::min(steps[k], std::max(up, down));
      if (up < steps[k]) steps[k] = -steps[k];
    }
  }
  nlopt_set_initial_step(opt_, steps.data());
}

double MinimumSearch::value_at(std::span<const double> x) {
  poll_interrupt_at(static_cast<std::size_t>(evaluations_));
  is_late_ = is_late_ || (options_.is_late && options_.is_late());
  if (is_at_limit()) {
    is_at_limit_ = true;
    if (opt_) nlopt_force_stop(opt_);
    return best_;
  }
  ++evaluations_;
  const double y = f_(x);
  if (evaluations_ == 1) first_ = std::fabs(y);
  if (y < -1e150 || (y < -1e12 * first_ && is_far(x)))
    fail(fmt::format("the function is unbounded below: it is {} at {}", with_digits(y, 3), point_text(x)),
         "limit the search with bounds: (low, high)");
  if (std::isnan(y)) return HUGE_VAL;
  if (y < best_) {
    best_ = y;
    best_at_.assign(x.begin(), x.end());
  }
  return y;
}

// From where anybody would look.
bool MinimumSearch::is_far(std::span<const double> x) const {
  for (std::size_t k = 0; k < x.size(); ++k)
    if (std::fabs(x[k]) > 1e13 * sizes_[k]) return true;
  return false;
}

std::string point_text(std::span<const double> x) {
  std::string out = x.size() > 1 ? "[" : "";
  for (std::size_t k = 0; k < std::min<std::size_t>(x.size(), 4); ++k)
    out += (k ? ", " : "") + with_digits(x[k], 3);
  return out + (x.size() > 4 ? ", …]" : x.size() > 1 ? "]" : "");
}

// Central differences; at a bound the step stays inside.
void MinimumSearch::gradient_at(std::span<const double> x, double* out) {
  if (options_.gradient) return options_.gradient(x, {out, x.size()});
  Point moved(x.begin(), x.end());
  for (std::size_t k = 0; k < x.size(); ++k) {
    const double h = central_step(x[k], kPart * sizes_[k]);
    double up = x[k] + h, down = x[k] - h;
    if (!options_.low.empty()) {
      up = std::min(up, options_.high[k]);
      down = std::max(down, options_.low[k]);
    }
    moved[k] = up;
    const double above = value_at(moved);
    moved[k] = down;
    const double below = value_at(moved);
    moved[k] = x[k];
    out[k] = up > down ? (above - below) / (up - down) : 0;
  }
}

double MinimumSearch::call_value(unsigned n, const double* x, double* gradient, void* data) {
  auto& s = *static_cast<MinimumSearch*>(data);
  try {
    const double y = s.value_at({x, n});
    if (gradient) s.gradient_at({x, n}, gradient);
    return y;
  } catch (...) { s.failure_ = std::current_exception(); }
  nlopt_force_stop(s.opt_);
  return HUGE_VAL;
}
void MinimumSearch::constraint(const VectorFunction& g, unsigned m, double* out, unsigned n, const double* x,
                               double* rows) {
  try {
    g({x, n}, {out, m});
    if (!rows) return;
    Point typical = sizes_;
    for (auto& size : typical) size *= kPart;
    central_differences(g, std::span(x, n), typical, m, {rows, std::size_t{m} * n});
  } catch (...) {
    failure_ = std::current_exception();
    nlopt_force_stop(opt_);
  }
}
void MinimumSearch::call_below(unsigned m, double* out, unsigned n, const double* x, double* rows,
                               void* data) {
  auto& s = *static_cast<MinimumSearch*>(data);
  s.constraint(s.options_.below, m, out, n, x, rows);
}
void MinimumSearch::call_equal(unsigned m, double* out, unsigned n, const double* x, double* rows,
                               void* data) {
  auto& s = *static_cast<MinimumSearch*>(data);
  s.constraint(s.options_.equal, m, out, n, x, rows);
}

}  // namespace quill
