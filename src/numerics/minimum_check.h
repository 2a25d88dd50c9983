// Checks whether a search ended at a minimum.
#pragma once

#include <optional>

#include "numerics/minimum_search.h"

namespace quill {

// Examines the end point of a search by other methods than the search: steps of all lengths along the
// gradient, Newton's method, steps along the eigenvectors of the second derivatives, and a search from a
// point nearby.
class MinimumCheck {
 public:
  using Point = MinimumSearch::Point;

  // `first`: end point of the first search.
  MinimumCheck(MinimumSearch& search, const MinimizeOptions& options, const Minimum& first)
      : search_(search), options_(options), first_(first) {}

  // Moves to a point with a lower value, different by more than rounding; false if none is found, as at a
  // minimum.
  bool improve(Minimum& m);
  // With constraints: moves to a feasible point. Throws Error naming the most violated constraint if none is
  // found.
  void make_feasible(Minimum& m);

 private:
  struct Violation {
    double size = 0;  // relative to the size of the constraint
    double value = 0;
    std::size_t which = 0;
    bool is_equality = false;
  };

  bool has_constraints() const { return options_.below_count + options_.equal_count > 0; }
  bool try_at(const Point& x);
  bool take(Minimum& m);
  Point beside(const Point& x, double part);
  double noise_at(const Minimum& m);
  void along_gradient(const Point& x, const Point& gradient);
  void look_along(const Point& x, const Point& direction, bool is_slope_known);
  // Quadratic model around a point, in units of the coordinates' sizes.
  struct Model {
    std::vector<double> axes;  // rows
    std::vector<double> step;  // to its minimum
  };
  std::optional<Model> model_at(const Minimum& m, const Point& gradient, double noise);
  void by_model(Point gradient, double noise);
  void by_searches(const Minimum& m);
  Violation worst_violation(std::span<const double> x);

  MinimumSearch& search_;
  const MinimizeOptions& options_;
  const Minimum first_;
  Minimum best_;
  int looks_ = 0;
  double least_gain_ = 0;
  std::size_t draws_ = 0;
};

}  // namespace quill
