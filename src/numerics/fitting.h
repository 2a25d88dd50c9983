// Least squares fits with uncertainties.
#pragma once

#include <algorithm>
#include <functional>
#include <optional>
#include <span>
#include <type_traits>
#include <utility>
#include <vector>

#include "array/array.h"

namespace quill {

struct Fit {
  std::vector<double> coefficients;
  Array covariance;              // of the coefficients; nan unless there are more points than coefficients
  double residual_norm = 0;      // square root of the (weighted) sum of squared residuals
  double r_squared = 1;          // fraction of the (weighted) variance about the mean explained by the fit
  Index degrees_of_freedom = 0;  // number of points minus number of coefficients
  double condition =
      1;  // of the matrix with columns scaled to length 1; infinite if they are linearly dependent
  bool converged = true;
  Index evaluations = 0;  // evaluations of a model

  std::vector<double> standard_errors() const;
};

// y ≈ X c for the columns of X, by Householder reflections of the columns scaled to length 1 and one step of
// refinement with a longer residual (Å. Björck, Numerical Methods for Least Squares Problems, 1996). Weights
// are one over the square of each y's uncertainty, up to a factor; empty for equal ones.
Fit linear_fit(const Array& x, const Array& y, const Array& weights);
// X c ≈ y for real X and y, a column of c for each column of y, with standard errors (nan unless there are
// more rows than columns): Householder reflections of columns of length 1 and one step of refinement. Nothing
// if the columns are linearly dependent, or nearly.
struct SolvedSquares {
  Array x, errors, residual_norm;
};
std::optional<SolvedSquares> solve_squares(const Array& x, const Array& y);
// Columns of X, from 1, that are linearly dependent to within 10^-10 when scaled to length 1; empty if there
// are none.
std::vector<Index> dependent_columns(const Array& x);
// The polynomial of a degree, highest power first.
Fit polynomial_fit(const Array& x, const Array& y, Index degree, const Array& weights);

// Loss of residuals: squares, or functions that grow more slowly, of the residual over its spread (P. J.
// Huber, 1964, 1.345; Cauchy, 2.385; J. W. Tukey, 4.685).
enum class Loss : std::uint8_t { squares, huber, cauchy, bisquare };

struct FitOptions {
  Array weights;                   // empty: equal
  bool weights_are_known = false;  // inverse squares of known uncertainties, not only up to a factor
  std::vector<double> low, high;   // bounds of the parameters; empty: none
  std::vector<bool> fixed;         // parameters held at their initial value; empty: none
  Loss loss = Loss::squares;
  Index limit = 100000;  // evaluations of the model at all points
};

// model(parameters) ≈ y at all points, from a start (K. Levenberg, 1944; D. Marquardt, 1963; damping of H. B.
// Nielsen, 1999; derivatives by central differences; parameters at a bound rest there while the slope points
// outside). A robust loss is minimised by weights that follow the residuals, whose spread is the median of
// their sizes over 0.6745. Fixed parameters, and those at a bound, have no error.
// A model writes its values at all points, as many as there are; or it returns them.
class Model {
 public:
  template <class F>
  requires std::is_invocable_v<F, std::span<const double>, std::span<double>> Model(F f)
      : fill_(std::move(f)) {}
  template <class F>
  requires std::is_invocable_r_v<std::vector<double>, F, std::span<const double>> Model(F f)
      : fill_([f = std::move(f)](std::span<const double> parameters, std::span<double> out) {
          const std::vector<double> values = f(parameters);
          std::copy_n(values.begin(), std::min(values.size(), out.size()), out.begin());
        }) {}
  void operator()(std::span<const double> parameters, std::span<double> out) const { fill_(parameters, out); }

 private:
  std::function<void(std::span<const double>, std::span<double>)> fill_;
};
Fit model_fit(const Model& model, const Array& y, std::vector<double> start, const FitOptions& options);

// Number of standard errors that contain this probability of Student's t distribution.
double student_factor(double confidence, Index freedom);

}  // namespace quill
