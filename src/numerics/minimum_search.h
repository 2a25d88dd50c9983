// Searches for a minimum by the NLopt library.
#pragma once

#include <cmath>
#include <exception>
#include <limits>
#include <span>
#include <vector>

#include "numerics/minimize.h"

struct nlopt_opt_s;

namespace quill {

// The searches for one minimum, which share the count of evaluations and what they know of sizes. What is
// thrown in a function stops the library and is thrown on when it has returned.
class MinimumSearch {
 public:
  using Point = std::vector<double>;

  MinimumSearch(const ScalarFunction& f, const MinimizeOptions& options, const Point& start);
  MinimumSearch(const MinimumSearch&) = delete;
  MinimumSearch& operator=(const MinimumSearch&) = delete;

  // From `start` on, with what is left of the evaluations. `converged` is what the library says.
  Minimum run(MinimizeMethod method, const Point& start);
  // The value at a point, infinite where it is nan, and at the limit.
  double value(std::span<const double> x);
  // By differences unless it is given.
  void gradient(std::span<const double> x, std::span<double> out) { gradient_at(x, out.data()); }
  // Takes notice of a point that was reached: sizes are of the last ones and the ways to them.
  void reach(std::span<const double> x);
  // Into the bounds.
  void clamp(std::span<double> x) const;

  // How large each coordinate is taken to be.
  const Point& sizes() const { return sizes_; }
  Index evaluations() const { return evaluations_; }
  // The size of the value at the start.
  double first_value() const { return std::isfinite(first_) ? first_ : 0; }
  bool is_at_limit() const { return evaluations_ >= options_.limit || is_late_; }

 private:
  void set_first_steps(const Point& start);
  double value_at(std::span<const double> x);
  bool is_far(std::span<const double> x) const;
  void gradient_at(std::span<const double> x, double* out);
  void constraint(const VectorFunction& g, unsigned m, double* out, unsigned n, const double* x,
                  double* rows);
  static double call_value(unsigned n, const double* x, double* gradient, void* data);
  static void call_below(unsigned m, double* out, unsigned n, const double* x, double* rows, void* data);
  static void call_equal(unsigned m, double* out, unsigned n, const double* x, double* rows, void* data);

  const ScalarFunction& f_;
  const MinimizeOptions& options_;
  Point reached_, sizes_;
  Index evaluations_ = 0;
  nlopt_opt_s* opt_ = nullptr;  // while one runs
  double best_ = std::numeric_limits<double>::infinity(), first_ = 0;
  Point best_at_;
  bool is_at_limit_ = false, is_late_ = false;
  std::exception_ptr failure_;
};

// A point as a message shows it.
std::string point_text(std::span<const double> x);

}  // namespace quill
