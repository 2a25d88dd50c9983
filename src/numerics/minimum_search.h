// Searches for a minimum with the NLopt library.
#pragma once

#include <cmath>
#include <exception>
#include <limits>
#include <span>
#include <vector>

#include "numerics/minimize.h"

struct nlopt_opt_s;

namespace quill {

// Several searches for one minimum, which share the count of evaluations and the scales. Exceptions thrown in
// functions stop the library and are rethrown after it returns.
class MinimumSearch {
 public:
  using Point = std::vector<double>;

  MinimumSearch(const ScalarFunction& f, const MinimizeOptions& options, const Point& start);
  MinimumSearch(const MinimumSearch&) = delete;
  MinimumSearch& operator=(const MinimumSearch&) = delete;

  // Searches from `start` with the remaining evaluations. `converged` is the library's verdict.
  Minimum run(MinimizeMethod method, const Point& start);
  // Value at a point; infinite if it is nan, or at the limit.
  double value(std::span<const double> x);
  // By finite differences unless given.
  void gradient(std::span<const double> x, std::span<double> out) { gradient_at(x, out.data()); }
  // Updates the scales from a point that was reached.
  void reach(std::span<const double> x);
  // Clamps to the bounds.
  void clamp(std::span<double> x) const;

  // Typical sizes of the coordinates.
  const Point& sizes() const { return sizes_; }
  Index evaluations() const { return evaluations_; }
  // Magnitude of the value at the start.
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
  nlopt_opt_s* opt_ = nullptr;  // while a search runs
  double best_ = std::numeric_limits<double>::infinity(), first_ = 0;
  Point best_at_;
  bool is_at_limit_ = false, is_late_ = false;
  std::exception_ptr failure_;
};

// A point as displayed in messages.
std::string point_text(std::span<const double> x);

}  // namespace quill
