#include "numerics/evolve_error.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <utility>

#include "base/error.h"

namespace quill {

namespace {

bool has_fixed_steps(StepMethod method) {
  return method == StepMethod::rk4 || method == StepMethod::backward_euler;
}

// Times for the second solution: the rows of the first, with one more between each two where times bound the
// steps, so that those of the second are shorter too.
std::vector<double> denser(std::span<const double> times) {
  std::vector<double> out = {times[0]};
  for (std::size_t k = 1; k < times.size(); ++k) {
    const double middle = times[k - 1] + (times[k] - times[k - 1]) / 2;
    if (middle != times[k - 1] && middle != times[k]) out.push_back(middle);
    out.push_back(times[k]);
  }
  return out;
}

EvolveOptions more_exact(const EvolveOptions& options, bool own_steps) {
  auto out = options;
  constexpr double part = 0.1, least = 1e-15;
  for (auto& r : out.relative) r = std::max(part * r, least);
  for (auto& a : out.absolute) a *= part;
  if (has_fixed_steps(options.method)) out.step = options.step / 2;
  if (options.longest > 0)
    out.longest = options.longest / 2;
  else if (own_steps)
    out.longest = std::numeric_limits<double>::infinity();
  std::erase_if(out.events, [](const StopEvent& e) { return !e.ends; });
  out.confirm = false;
  return out;
}

// The second solution at the times of the first, evaluated in order. If an event stops it slightly earlier,
// it is continued linearly.
class Second {
 public:
  Second(Trajectory run, const Slopes& f, std::size_t size)
      : run_(std::move(run)), slope_(size), beyond_(size), way_(run_.t.back() < run_.t.front() ? -1 : 1) {
    f(run_.t.back(), row(run_.t.size() - 1), slope_);
  }
  std::span<const double> at(double t) {
    while (next_ < run_.t.size() && way_ * (run_.t[next_] - t) < 0) ++next_;
    return next_ < run_.t.size() && run_.t[next_] == t ? row(next_) : beyond_end(t);
  }
  // Where the first solution was stopped; empty when this one was not.
  std::span<const double> at_stop(double t) {
    if (!run_.stopped_at) return {};
    return beyond_end(t);
  }
  Index evaluations() const { return run_.evaluations + 1; }

 private:
  std::span<const double> row(std::size_t i) const {
    return std::span(run_.y).subspan(i * slope_.size(), slope_.size());
  }
  std::span<const double> beyond_end(double t) {
    const auto y = row(run_.t.size() - 1);
    for (std::size_t k = 0; k < beyond_.size(); ++k) beyond_[k] = y[k] + (t - run_.t.back()) * slope_[k];
    return beyond_;
  }

  Trajectory run_;
  std::vector<double> slope_, beyond_;
  double way_;
  std::size_t next_ = 0;
};

// Errors of the rows of a solution, in their order, from the differences to a more exact one. Where the two
// cross, their difference is smaller than the error. So an error is at least a part of the largest relative
// difference of any component in the rows shortly before, and a part of the tolerance. The parts were chosen
// so that published test problems stay within three times the estimate.
class ErrorEstimate {
 public:
  ErrorEstimate(const EvolveOptions& options, const std::vector<double>& sizes, Index steps)
      : options_(options),
        sizes_(sizes),
        recent_(sizes.size()),
        rounding_(std::numeric_limits<double>::epsilon() * std::sqrt(static_cast<double>(steps))) {
    if (options.method == StepMethod::rk4) share_ = 16.0 / 15;
    if (options.method == StepMethod::backward_euler) share_ = 2;
    // Its values within a step are less exact than those at the ends of steps.
    if (options.method == StepMethod::bulirsch_stoer) {
      of_others_ *= 2;
      of_tolerance_ *= 2;
    }
    if (has_fixed_steps(options.method)) of_tolerance_ = 0;
  }

  // Of a row that follows those before.
  void row(std::span<const double> y, std::span<const double> exact, std::span<double> error) {
    double largest = 0;
    for (std::size_t k = 0; k < y.size(); ++k) {
      sizes_[k] = std::max(sizes_[k], std::fabs(y[k]));
      recent_[k] = std::max({std::fabs(y[k]), kLeastSize * sizes_[k], kSizeKept * recent_[k]});
      error[k] = share_ * std::fabs(y[k] - exact[k]) + rounding_ * recent_[k];
      largest = std::max(largest, error[k] / recent_[k]);
    }
    difference_ = std::max(largest, kDifferenceKept * difference_);
    for (std::size_t k = 0; k < y.size(); ++k)
      error[k] += recent_[k] * std::max(of_others_ * difference_, of_tolerance_ * at(options_.relative, k));
    for (std::size_t k = 0; k < y.size(); ++k) is_uncertain_ = is_uncertain_ || is_too_large(error[k], k);
  }
  bool is_uncertain() const { return is_uncertain_; }

 private:
  static constexpr double kLeastSize = 1e-3, kSizeKept = 0.8, kDifferenceKept = 0.9;

  static double at(const std::vector<double>& tolerances, std::size_t k) {
    return tolerances[tolerances.size() == 1 ? 0 : k];
  }
  // More than a thousandth of the component's size, or ten times the tolerance.
  bool is_too_large(double error, std::size_t k) const {
    constexpr double part = 1e-3, times = 10;
    const double absolute = options_.absolute.empty() ? 0 : at(options_.absolute, k);
    return error > std::max(part, times * at(options_.relative, k)) * sizes_[k] + times * absolute;
  }

  const EvolveOptions& options_;
  std::vector<double> sizes_, recent_;
  double rounding_;  // of all steps, relative
  // Factor for the error of the first solution that the second does not share.
  double share_ = 1 / 0.9, of_others_ = 0.3, of_tolerance_ = 0.5, difference_ = 0;
  bool is_uncertain_ = false;
};

}  // namespace

void estimate_errors(Trajectory& run, const Slopes& f, std::span<const double> y0,
                     std::span<const double> times, bool own_steps, const EvolveOptions& options) {
  const auto size = y0.size();
  std::vector<double> at(times.begin(), times.end());
  if (own_steps) {
    at = run.t;
    if (run.stopped_at) at.back() = times.back();
    if (at.size() < 2) at = {times.front(), times.back()};
  }
  const bool times_bound_steps =
      options.method != StepMethod::bulirsch_stoer && (!own_steps || has_fixed_steps(options.method));
  if (times_bound_steps) at = denser(at);
  std::optional<Second> second;
  try {
    second.emplace(evolve(f, y0, at, false, more_exact(options, own_steps)), f, size);
  } catch (const Error& error) {
    if (error.kind == Error::Kind::interrupted) throw;
    run.unconfirmed = error.message;
    return;
  }
  run.evaluations += second->evaluations();
  ErrorEstimate estimate(options, run.sizes, run.steps);
  run.error.resize(run.y.size());
  // The first row is given.
  for (std::size_t i = 1; i < run.t.size(); ++i) {
    const bool is_stop = run.stopped_at && i + 1 == run.t.size();
    const auto error = std::span(run.error).subspan(i * size, size);
    const auto exact = is_stop ? second->at_stop(run.t[i]) : second->at(run.t[i]);
    if (exact.empty()) {
      std::fill(error.begin(), error.end(), std::numeric_limits<double>::infinity());
    } else {
      estimate.row(std::span(run.y).subspan(i * size, size), exact, error);
    }
    if ((exact.empty() || estimate.is_uncertain()) && !run.uncertain_from) run.uncertain_from = run.t[i];
  }
}

}  // namespace quill
