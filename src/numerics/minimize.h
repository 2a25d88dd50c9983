// Minimization of functions.
#pragma once

#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "numerics/estimate.h"
#include "numerics/roots.h"

namespace quill {

enum class MinimizeMethod : std::uint8_t { automatic, lbfgs, slsqp, nelder_mead, bobyqa, random_search };
std::string_view name_of(MinimizeMethod method);

struct MinimizeOptions {
  MinimizeMethod method = MinimizeMethod::automatic;
  std::vector<double> low, high;  // bounds of each coordinate; empty: none
  // Constraints: functions of the point that must be ≤ 0, or 0, with `below_count` and `equal_count` results.
  VectorFunction below, equal;
  std::size_t below_count = 0, equal_count = 0;
  VectorFunction gradient;          // finite differences if empty
  double relative = 1e-10;          // of the coordinates
  Index limit = 100000;             // evaluations
  std::function<bool()> is_late{};  // whether to stop early with the best point so far; empty: never
};

struct Minimum {
  std::vector<double> at;
  double value = 0;
  Index evaluations = 0;
  std::string_view method;
  bool converged = true;
};

using ScalarFunction = std::function<double(std::span<const double>)>;

// A minimum between a and b (R. P. Brent, 1973; Boost.Math).
Minimum minimize(const RealFunction& f, double a, double b);
// A minimum near a point, by the NLopt library: limited-memory quasi-Newton steps (J. Nocedal, 1980),
// sequential quadratic programming where there are constraints (D. Kraft, 1988), both with gradients by
// central differences unless they are given; without derivatives the simplex method (J. A. Nelder, R. Mead,
// 1965) or quadratic models (M. J. D. Powell, 2009); in bounds controlled random search, with the same
// numbers in every run (P. Kaelo, M. M. Ali, 2006). Without a method it goes by what is given, and where
// quasi-Newton steps do not converge the simplex method goes on. Error where the function falls without
// end or has no finite value around the start.
Minimum minimize(const ScalarFunction& f, std::vector<double> start, const MinimizeOptions& options);

}  // namespace quill
