#include "numerics/roots.h"

#include <fmt/format.h>

#include <Eigen/LU>
#include <algorithm>
#include <boost/math/tools/roots.hpp>
#include <cmath>
#include <exception>
#include <memory>
#include <optional>

#include "base/error.h"
#include "base/interrupt.h"
#include "numerics/differences.h"
#include "numerics/gsl.h"

namespace quill {

namespace {

constexpr double kLargest = std::numeric_limits<double>::max();

// A search in an interval.
class Bracket {
 public:
  explicit Bracket(const RealFunction& f) : f_(f) { seen_.reserve(32); }

  Root between(double a, double b) {
    double fa = at_end(a, b), fb = at_end(b, a);
    if (fa == 0) return with_reach(root(a, 0, 0), a, b);
    if (fb == 0) return with_reach(root(b, 0, 0), a, b);
    if ((fa < 0) == (fb < 0))
      fail(fmt::format("the function has the same sign at both ends: {} at {} and {} at {}",
                       with_digits(fa, 3), shortest(a), with_digits(fb, 3), shortest(b)),
           "a bracket contains a root if the signs differ; start: x searches for one");
    std::uintmax_t most = 400;
    const auto bracket =
        boost::math::tools::toms748_solve([&](double x) { return called(x); }, a, b, fa, fb,
                                          boost::math::tools::eps_tolerance<double>(52), most);
    const double low = bracket.first, high = bracket.second;
    const double at_low = known(low), at_high = known(high);
    const bool is_low = std::fabs(at_low) <= std::fabs(at_high);
    auto out = root(is_low ? low : high, high - low, is_low ? at_low : at_high);
    tell_pole(out, at_low, at_high);
    return out.is_jump ? out : with_reach(out, a, b);
  }

 private:
  double value_at(double x) {
    ++evaluations_;
    return f_(x);
  }
  double called(double x) {
    const double y = value_at(x);
    if (std::isnan(y)) fail(fmt::format("the function is nan at {}", shortest(x)), "check the range");
    return seen(x, y);
  }
  double seen(double x, double y) {
    // The search calculates with values, of which infinite ones have the sign alone.
    const double finite = std::clamp(y, -kLargest / 4, kLargest / 4);
    seen_.emplace_back(x, finite);
    return finite;
  }

  double known(double x) {
    const auto place =
        std::find_if(seen_.rbegin(), seen_.rend(), [&](const auto& s) { return s.first == x; });
    return place != seen_.rend() ? place->second : called(x);
  }

  // The value at an end, which moves inwards when there is none.
  double at_end(double& end, double other) {
    if (const double y = value_at(end); !std::isnan(y)) return seen(end, y);
    const double from = end;
    for (const double part : {1e-15, 1e-12, 1e-9, 1e-6, 1e-3, 0.01, 0.05, 0.1, 0.2, 0.3, 0.4}) {
      end = from + (other - from) * part;
      if (const double y = value_at(end); !std::isnan(y)) return seen(end, y);
    }
    fail(fmt::format("the function is nan at {} and near it", shortest(from)), "check the range");
  }

  Root root(double x, double width, double residual) const {
    Root out;
    out.value = x;
    out.error = width;
    out.residual = residual;
    out.evaluations = evaluations_;
    return out;
  }

  // Adds to the error the distance, within [a, b], over which values are rounding noise with meaningless
  // signs. The noise is estimated from second differences over neighbouring numbers.
  Root with_reach(Root r, double a, double b) {
    constexpr double epsilon = std::numeric_limits<double>::epsilon();
    const double short_way = 4 * epsilon * std::max(std::fabs(r.value), epsilon * (b - a));
    constexpr int count = 11;
    const double half = count / 2 * short_way;
    if (!(short_way > 0) || !(b - a > 2 * half)) return r;
    const double middle = std::clamp(r.value, a + half, b - half);
    double values[count];
    for (int k = 0; k < count; ++k)
      values[k] = value_at(std::clamp(middle + (k - count / 2) * short_way, a, b));
    double noise = 0;
    for (int k = 1; k + 1 < count; ++k)
      noise = std::max(noise, std::fabs(values[k - 1] - 2 * values[k] + values[k + 1]));
    if (!std::isfinite(noise)) return r;
    constexpr double surely = 16;
    for (const double side : {-1.0, 1.0}) {
      const double to_end = side < 0 ? r.value - a : b - r.value;
      double way = short_way;
      while (way < to_end && std::fabs(value_at(r.value + side * way)) <= surely * noise) way *= 2;
      if (way > short_way) r.error = std::max(r.error, std::min(way, to_end));
    }
    r.evaluations = evaluations_;
    return r;
  }

  // At a root the values fall with the distance; at a pole they rise, at a jump they stay.
  void tell_pole(Root& r, double at_low, double at_high) const {
    if (at_low == 0 || at_high == 0 || (at_low < 0) == (at_high < 0)) return;
    const double last = std::min(std::fabs(at_low), std::fabs(at_high));
    double nearest = INFINITY, beside = 0;
    for (const auto& [x, y] : seen_) {
      const double d = std::fabs(x - r.value);
      if (d > 1e3 * r.error && d < nearest) {
        nearest = d;
        beside = std::fabs(y);
      }
    }
    if (std::isinf(nearest)) return;
    if (last > 30 * beside)
      fail(fmt::format("the sign changes at {} through a pole, where the function is infinite, not through 0",
                       with_digits(r.value, 6)),
           "use a bracket without the pole");
    r.is_jump = last > 0.5 * beside;
  }

  const RealFunction& f_;
  Index evaluations_ = 0;
  std::vector<std::pair<double, double>> seen_;
};

}  // namespace

Root find_root(const RealFunction& f, double a, double b) {
  if (!std::isfinite(a) || !std::isfinite(b)) fail("the ends of the bracket must be finite");
  return Bracket(f).between(std::min(a, b), std::max(a, b));
}

namespace {

// Whether f, which is 0 at `zero` and not at `good`, gets there through the smallest numbers there are.
bool is_underflow(const RealFunction& f, double good, double zero, Index& evaluations) {
  constexpr double tiny = 1e-290;
  constexpr int most = 1100;
  for (int k = 0; k < most; ++k) {
    const double middle = good + (zero - good) / 2;
    if (middle == good || middle == zero) break;
    const double y = f(middle);
    ++evaluations;
    (y == 0 || std::isnan(y) ? zero : good) = middle;
  }
  return std::fabs(f(good)) < tiny && std::fabs(good) > 1e-100;
}

}  // namespace

Root find_root_near(const RealFunction& f, double x) {
  if (!std::isfinite(x)) fail("the start of the search must be finite");
  Index evaluations = 1;
  const double here = f(x);
  if (std::isnan(here)) fail(fmt::format("the function is nan at {}", shortest(x)), "check the start");
  if (here == 0) return {{x, 0, evaluations}};
  struct Side {
    double sign, good;                // last point with the first sign, last valid point
    std::optional<double> wall = {};  // where the function is nan
  };
  Side sides[] = {{1, x}, {-1, x}};
  double step = x == 0 ? 0.01 : 0.01 * std::fabs(x);
  constexpr int most_steps = 80;
  for (int k = 0; k < most_steps; ++k, step *= 1.6)
    for (auto& side : sides) {
      const double next = side.wall ? (side.good + *side.wall) / 2 : side.good + side.sign * step;
      const double y = f(next);
      ++evaluations;
      if (std::isnan(y)) {
        side.wall = next;
        continue;
      }
      // A value that falls off to 0 by underflow is no root.
      if (y == 0 && is_underflow(f, side.good, next, evaluations)) {
        side.wall = next;
        continue;
      }
      if (y == 0 || (y < 0) != (here < 0)) {
        auto found = find_root(f, side.good, next);
        found.evaluations += evaluations;
        return found;
      }
      side.good = next;
    }
  fail(fmt::format("no change of sign was found between {} and {}", with_digits(sides[1].good, 3),
                   with_digits(sides[0].good, 3)),
       "plot the function to choose a bracket: find_root(f, (a, b))");
}

namespace {

using Rows = Eigen::Matrix<double, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;

// The system in the form of the library; exceptions are stored until it returns.
class System {
 public:
  System(const VectorFunction& f, const VectorFunction& jacobian, std::span<const double> start, Index limit)
      : f_(f), jacobian_(jacobian), limit_(limit) {
    double largest = 0;
    for (const double x : start) largest = std::max(largest, std::fabs(x));
    // A coordinate that starts at 0 is taken for one like the others.
    for (const double x : start)
      typical_.push_back(x != 0 ? std::fabs(x) * 1e-3 : largest > 0 ? largest * 1e-3 : 1);
  }

  void values(std::span<const double> x, std::span<double> out) {
    poll_interrupt_at(static_cast<std::size_t>(evaluations));
    if (evaluations++ == limit_)
      fail(fmt::format("no root was found in {} evaluations", grouped(limit_)),
           "use a start nearer to it, or a larger limit");
    f_(x, out);
  }
  void derivatives(std::span<const double> x, std::span<double> out) {
    if (jacobian_) return jacobian_(x, out);
    central_differences([&](auto at, auto y) { values(at, y); }, x, typical_, x.size(), out);
  }
  // Whether the values at x are rounding noise compared with values a hundredth of its size away.
  bool is_small_beside(std::span<const double> x, std::span<const double> values_there) {
    constexpr double part = 0.01, small = 1e-14;
    std::vector<double> moved(x.begin(), x.end()), values_beside(x.size()), largest(x.size());
    for (std::size_t k = 0; k < x.size(); ++k)
      for (const double side : {-1.0, 1.0}) {
        moved[k] = x[k] + side * part * std::max(std::fabs(x[k]), 1e3 * typical_[k]);
        values(moved, values_beside);
        moved[k] = x[k];
        for (std::size_t i = 0; i < x.size(); ++i)
          largest[i] = std::max(largest[i], std::fabs(values_beside[i]));
      }
    for (std::size_t i = 0; i < x.size(); ++i)
      if (!(std::fabs(values_there[i]) <= small * largest[i])) return false;
    return true;
  }
  template <class Body>
  int guarded(Body body) {
    try {
      return body() ? GSL_SUCCESS : GSL_EBADFUNC;
    } catch (...) { failure_ = std::current_exception(); }
    return GSL_EBADFUNC;
  }
  void settle() {
    if (failure_) std::rethrow_exception(failure_);
  }
  Index evaluations = 0;

 private:
  const VectorFunction &f_, &jacobian_;
  Index limit_;
  std::vector<double> typical_;
  std::exception_ptr failure_;
};

std::span<const double> numbers_in(const gsl_vector* v) { return {v->data, v->size}; }

bool all_finite(std::span<const double> v) {
  return std::all_of(v.begin(), v.end(), [](double x) { return std::isfinite(x); });
}

int system_values(const gsl_vector* x, void* data, gsl_vector* out) {
  auto& s = *static_cast<System*>(data);
  return s.guarded([&] {
    s.values(numbers_in(x), {out->data, out->size});
    return all_finite(numbers_in(out));
  });
}
int system_derivatives(const gsl_vector* x, void* data, gsl_matrix* out) {
  auto& s = *static_cast<System*>(data);
  return s.guarded([&] {
    const std::span<double> rows(out->data, out->size1 * out->size2);
    s.derivatives(numbers_in(x), rows);
    return all_finite(rows);
  });
}
int system_both(const gsl_vector* x, void* data, gsl_vector* out, gsl_matrix* rows) {
  const int status = system_values(x, data, out);
  return status == GSL_SUCCESS ? system_derivatives(x, data, rows) : status;
}

}  // namespace

SystemRoot find_root(const VectorFunction& f, const VectorFunction& jacobian, std::vector<double> start,
                     Index limit) {
  if (start.empty()) fail("the start of the search is empty");
  gsl_set_error_handler_off();
  const auto n = start.size();
  System system(f, jacobian, start, limit);
  gsl_multiroot_function_fdf g{system_values, system_derivatives, system_both, n, &system};
  const std::unique_ptr<gsl_multiroot_fdfsolver, decltype(&gsl_multiroot_fdfsolver_free)> solver(
      gsl_multiroot_fdfsolver_alloc(gsl_multiroot_fdfsolver_hybridsj, n), gsl_multiroot_fdfsolver_free);
  if (!solver) fail("not enough memory for the search");
  const auto from = gsl_vector_const_view_array(start.data(), n);
  int status = gsl_multiroot_fdfsolver_set(solver.get(), &g, &from.vector);
  system.settle();
  if (status != GSL_SUCCESS || !all_finite(numbers_in(solver->f)))
    fail("the functions are not finite at the start");
  constexpr int most_rounds = 1000;
  const auto is_zero = [](double y) { return y == 0; };
  for (int k = 0; k < most_rounds && status == GSL_SUCCESS; ++k) {
    const auto y = numbers_in(solver->f);
    if (std::all_of(y.begin(), y.end(), is_zero)) break;
    status = gsl_multiroot_fdfsolver_iterate(solver.get());
    system.settle();
    if (status == GSL_SUCCESS && gsl_multiroot_test_delta(solver->dx, solver->x, 0, 1e-15) == GSL_SUCCESS)
      break;
  }
  SystemRoot out;
  const auto x = numbers_in(solver->x), y = numbers_in(solver->f);
  out.at.assign(x.begin(), x.end());
  out.residual.assign(y.begin(), y.end());
  // How far Newton's method would still go.
  Rows rows(n, n);
  system.derivatives(out.at, {rows.data(), n * n});
  const auto count = static_cast<Eigen::Index>(n);
  const Eigen::Map<const Eigen::VectorXd> residuals(out.residual.data(), count);
  // Each equation in its own unit, so that none counts as nothing.
  Rows scaled = rows;
  Eigen::VectorXd right = residuals;
  for (Eigen::Index k = 0; k < count; ++k)
    if (const double unit = scaled.row(k).lpNorm<Eigen::Infinity>(); unit > 0) {
      scaled.row(k) /= unit;
      right[k] /= unit;
    }
  const Eigen::VectorXd last = scaled.fullPivLu().solve(right);
  double size = 0;
  for (const double c : out.at) size = std::max(size, std::fabs(c));
  for (Eigen::Index k = 0; k < count; ++k) {
    const double rounding =
        4 * std::numeric_limits<double>::epsilon() * std::fabs(out.at[static_cast<std::size_t>(k)]);
    out.error.push_back(2 * std::fabs(last[k]) + rounding);
  }
  // Whether that is a root: the step is small, and the matrix explains the residual; or, where the matrix is
  // singular, the residual is nothing beside the values around.
  const double residual = *std::max_element(out.residual.begin(), out.residual.end(),
                                            [](double a, double b) { return std::fabs(a) < std::fabs(b); });
  const Eigen::VectorXd rest = rows * last - residuals;
  constexpr double near_enough = 1e-5;
  const bool is_simple = last.lpNorm<Eigen::Infinity>() <= near_enough * std::max(size, 1e-3) &&
                         rest.lpNorm<Eigen::Infinity>() <= 1e-3 * std::fabs(residual);
  if (!is_simple && system.is_small_beside(out.at, out.residual)) {
    // A root of that kind is within a few such steps.
    constexpr double steps = 4;
    for (auto& error : out.error) error *= steps;
  } else if (!is_simple)
    fail(fmt::format("no root was found: the search ended where the largest residual is {}",
                     with_digits(residual, 3)),
         "try another start; there may be no root");
  out.evaluations = system.evaluations;
  return out;
}

}  // namespace quill
