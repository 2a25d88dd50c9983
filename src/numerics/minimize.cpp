#include "numerics/minimize.h"

#include <fmt/format.h>
#include <nlopt.h>

#include <algorithm>
#include <boost/math/tools/minima.hpp>
#include <cmath>
#include <exception>
#include <memory>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/differences.h"

namespace quill {

std::string_view name_of(MinimizeMethod method) {
  switch (method) {
    case MinimizeMethod::automatic: return "automatic";
    case MinimizeMethod::lbfgs: return "lbfgs";
    case MinimizeMethod::slsqp: return "slsqp";
    case MinimizeMethod::nelder_mead: return "nelder_mead";
    case MinimizeMethod::bobyqa: return "bobyqa";
    case MinimizeMethod::random_search: return "random_search";
  }
  return "";
}

Minimum minimize(const RealFunction& f, double a, double b) {
  if (!std::isfinite(a) || !std::isfinite(b) || a >= b)
    fail("a minimum is looked for between two finite numbers, the lower one first");
  constexpr std::uintmax_t limit = 500;
  Index count = 0;
  const auto called = [&](double x) {
    ++count;
    const double y = f(x);
    if (std::isnan(y)) fail(fmt::format("the function is nan at {}", shortest(x)), "is the range right?");
    return y;
  };
  // The library's tolerance is in part an amount, so the range is taken for 1; and the search is repeated
  // around what was found, in a range that is narrower by far, as long as that range is what limits it.
  double low = a, high = b, at = a, value = INFINITY;
  bool converged = true;
  constexpr int rounds = 12;
  for (int round = 0; round < rounds; ++round) {
    std::uintmax_t most = limit;
    const double width = high - low;
    const auto found = boost::math::tools::brent_find_minima(
        [&](double u) { return called(low + u * width); }, 0.0, 1.0, 52, most);
    converged = most < limit;
    const double x = low + found.first * width;
    if (found.second <= value) {
      at = x;
      value = found.second;
    }
    constexpr double narrower = 1e-6, fine = 1e-9;
    if (!(width > fine * std::fabs(at))) break;
    low = std::max(a, at - narrower * width);
    high = std::min(b, at + narrower * width);
    if (!(low < at || at < high) || !(high - low < 0.5 * width)) break;
  }
  // The search stays between the ends; what lies lower there counts.
  for (const double end : {a, b})
    if (const double y = f(end); !std::isnan(y) && y < value) {
      ++count;
      at = end;
      value = y;
    }
  return {{at}, value, count, "brent", converged};
}

namespace {

using Point = std::vector<double>;

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

// One search. What is thrown in a function stops the library and waits until it has returned.
class Search {
 public:
  Search(const ScalarFunction& f, const MinimizeOptions& options, const Point& start)
      : f_(f), options_(options) {
    for (std::size_t k = 0; k < start.size(); ++k) {
      const double width = options.low.empty() ? INFINITY : options.high[k] - options.low[k];
      typical_.push_back(start[k] != 0          ? std::fabs(start[k]) * 0.01
                         : std::isfinite(width) ? width * 0.01
                                                : 0.01);
    }
  }

  // From `start` on, with what is left of the evaluations.
  Minimum run(MinimizeMethod method, const Point& start) {
    const auto n = static_cast<unsigned>(start.size());
    const std::unique_ptr<nlopt_opt_s, decltype(&nlopt_destroy)> opt(nlopt_create(algorithm_of(method), n),
                                                                     nlopt_destroy);
    if (!opt) fail("there is no memory for the search");
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
    nlopt_set_maxeval(opt_, static_cast<int>(std::clamp<Index>(options_.limit - evaluations, 1, 1 << 30)));
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
    out.evaluations = evaluations;
    out.method = name_of(method);
    out.converged = (result > 0 && result != NLOPT_MAXEVAL_REACHED && result != NLOPT_MAXTIME_REACHED) ||
                    (result == NLOPT_ROUNDOFF_LIMITED && !is_at_limit_);
    if (is_at_limit_) out.converged = false;
    return out;
  }

  Index evaluations = 0;

 private:
  // First steps by the size of each coordinate, inside the bounds.
  void set_first_steps(const Point& start) {
    Point steps(start.size());
    for (std::size_t k = 0; k < start.size(); ++k) {
      steps[k] = start[k] != 0 ? 0.1 * std::fabs(start[k]) : 10 * typical_[k];
      if (!options_.low.empty()) {
        const double up = options_.high[k] - start[k], down = start[k] - options_.low[k];
        if (std::max(up, down) > 0) steps[k] = std::min(steps[k], std::max(up, down));
        if (up < steps[k]) steps[k] = -steps[k];
      }
    }
    nlopt_set_initial_step(opt_, steps.data());
  }

  double value_at(std::span<const double> x) {
    poll_interrupt_at(static_cast<std::size_t>(evaluations));
    if (evaluations >= options_.limit) {
      is_at_limit_ = true;
      nlopt_force_stop(opt_);
      return best_;
    }
    ++evaluations;
    const double y = f_(x);
    if (evaluations == 1) first_ = std::fabs(y);
    if (y < -1e150 || (y < -1e12 * first_ && is_far(x)))
      fail(fmt::format("the function falls without end: it is {} at {}", with_digits(y, 3), text_of(x)),
           "bounds: (low, high) keep the search where it is meant");
    if (std::isnan(y)) return HUGE_VAL;
    if (y < best_) {
      best_ = y;
      best_at_.assign(x.begin(), x.end());
    }
    return y;
  }

  // From where anybody would look.
  bool is_far(std::span<const double> x) const {
    for (std::size_t k = 0; k < x.size(); ++k)
      if (std::fabs(x[k]) > 1e15 * typical_[k]) return true;
    return false;
  }

  static std::string text_of(std::span<const double> x) {
    std::string out = x.size() > 1 ? "[" : "";
    for (std::size_t k = 0; k < std::min<std::size_t>(x.size(), 4); ++k)
      out += (k ? ", " : "") + with_digits(x[k], 3);
    return out + (x.size() > 4 ? ", …]" : x.size() > 1 ? "]" : "");
  }

  // Central differences; at a bound the step stays inside.
  void gradient_at(std::span<const double> x, double* out) {
    if (options_.gradient) return options_.gradient(x, {out, x.size()});
    Point moved(x.begin(), x.end());
    for (std::size_t k = 0; k < x.size(); ++k) {
      const double h = central_step(x[k], typical_[k]);
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

  static double call_value(unsigned n, const double* x, double* gradient, void* data) {
    auto& s = *static_cast<Search*>(data);
    try {
      const double y = s.value_at({x, n});
      if (gradient) s.gradient_at({x, n}, gradient);
      return y;
    } catch (...) { s.failure_ = std::current_exception(); }
    nlopt_force_stop(s.opt_);
    return HUGE_VAL;
  }
  void constraint(const VectorFunction& g, unsigned m, double* out, unsigned n, const double* x,
                  double* rows) {
    try {
      g({x, n}, {out, m});
      if (rows) central_differences(g, std::span(x, n), typical_, m, {rows, std::size_t{m} * n});
    } catch (...) {
      failure_ = std::current_exception();
      nlopt_force_stop(opt_);
    }
  }
  static void call_below(unsigned m, double* out, unsigned n, const double* x, double* rows, void* data) {
    auto& s = *static_cast<Search*>(data);
    s.constraint(s.options_.below, m, out, n, x, rows);
  }
  static void call_equal(unsigned m, double* out, unsigned n, const double* x, double* rows, void* data) {
    auto& s = *static_cast<Search*>(data);
    s.constraint(s.options_.equal, m, out, n, x, rows);
  }

  const ScalarFunction& f_;
  const MinimizeOptions& options_;
  Point typical_;
  nlopt_opt opt_ = nullptr;
  double best_ = INFINITY, first_ = 0;
  Point best_at_;
  bool is_at_limit_ = false;
  std::exception_ptr failure_;
};

void check(const MinimizeOptions& o, Point& start) {
  if (start.empty()) fail("a minimum is looked for near a point of at least one coordinate");
  for (const double x : start)
    if (!std::isfinite(x)) fail("the start is finite in all coordinates");
  for (std::size_t k = 0; k < o.low.size(); ++k) {
    if (!(o.low[k] <= o.high[k]))
      fail(fmt::format("the bounds of coordinate {} are {} and {}: the lower one comes first", k + 1,
                       shortest(o.low[k]), shortest(o.high[k])));
    start[k] = std::clamp(start[k], o.low[k], o.high[k]);
  }
  if (o.method == MinimizeMethod::random_search)
    for (std::size_t k = 0; k < start.size(); ++k)
      if (o.low.empty() || std::isinf(o.low[k]) || std::isinf(o.high[k]))
        fail("the method \"random_search\" looks within finite bounds of all coordinates",
             "bounds: (low, high)");
}

}  // namespace

Minimum minimize(const ScalarFunction& f, std::vector<double> start, const MinimizeOptions& options) {
  check(options, start);
  Search search(f, options, start);
  Minimum out;
  using enum MinimizeMethod;
  if (options.below_count + options.equal_count > 0) {
    out = search.run(slsqp, start);
  } else if (options.method != automatic) {
    out = search.run(options.method, start);
    // Found from afar, finished from nearby.
    if (options.method == random_search) {
      const auto fine = search.run(lbfgs, out.at);
      if (fine.value < out.value) {
        out.at = fine.at;
        out.value = fine.value;
      }
    }
  } else {
    out = search.run(lbfgs, start);
    // Once more from there: a first run may end where its model was bad, and a kink stops it for good.
    for (int round = 0; round < 6 && search.evaluations < options.limit; ++round) {
      const bool by_simplex = !out.converged || round > 0;
      const auto next = search.run(by_simplex && round % 2 == 1 ? nelder_mead : lbfgs, out.at);
      const double gain = out.value - next.value;
      if (gain > 0) out = next;
      const double noise = 1e-14 * std::fabs(out.value);
      if (round > 0 && !(gain > noise)) break;
      if (round == 0 && out.converged && !(gain > noise)) break;
    }
  }
  out.evaluations = search.evaluations;
  if (!std::isfinite(out.value)) fail("the function has no finite value around the start");
  return out;
}

}  // namespace quill
