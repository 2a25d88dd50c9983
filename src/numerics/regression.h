// Linear regression with diagnostics, and local regression.
#pragma once

#include <span>
#include <vector>

#include "numerics/fitting.h"

namespace quill {

struct Regression {
  Fit fit;
  std::vector<double> fitted, residual;
  // For each point: its leverage (0 to 1), the standardized residual, and D. R. Cook's distance
  // (Technometrics 19, 1977).
  std::vector<double> leverage, standardized, cook;
  double residual_std = 0;
  double adjusted_r_squared = 1;
  double f = 0, f_p = 1;  // against a constant
};
// y ≈ X c, where the first column of X is 1. Weights as for linear_fit.
Regression regression(const Array& x, const Array& y, const Array& weights);

// Local polynomials of degree 0 to 2 with tricube weights over the nearest fraction `span` of the points (W.
// S. Cleveland, J. Am. Stat. Assoc. 74, 1979), with rounds of bisquare weights by residuals.
class LocalRegression {
 public:
  LocalRegression(std::vector<double> x, std::vector<double> y, double span, int degree, int robust_rounds);
  double at(double q) const;  // nan for nan and outside of the points
  const std::vector<double>& x() const { return x_; }
  std::size_t neighbors() const { return neighbors_; }

 private:
  std::vector<double> x_, y_, weight_;  // in ascending order of x
  std::size_t neighbors_ = 0;
  int degree_ = 1;
};

}  // namespace quill
