// Means, spreads and quantiles along axes.
#pragma once

#include <span>
#include <vector>

#include "array/reduce.h"

namespace quill {

// All take float64 arrays. nan propagates; `skip_nan` ignores it. Throws Error if no element is left.
struct StatisticsOptions {
  Over over;
  bool skip_nan = false;
  const char* what = "a quantile";  // as errors call it
};
Array mean(const Array& a, const StatisticsOptions& options);
// Sum of squared deviations over n - 1, in two passes; nan for a single element.
Array variance(const Array& a, const StatisticsOptions& options);
Array standard_deviation(const Array& a, const StatisticsOptions& options);
// The root of the mean square.
Array root_mean_square(const Array& a, const StatisticsOptions& options);
// Third and fourth central moment in units of the (population) standard deviation; the latter minus 3, the
// value of normal data. nan without spread.
Array skewness(const Array& a, const StatisticsOptions& options);
Array excess_kurtosis(const Array& a, const StatisticsOptions& options);
// Linear between the order statistics (R. J. Hyndman, Y. Fan, Am. Stat. 50, 1996, definition 7).
Array quantile(const Array& a, double p, const StatisticsOptions& options);
// One array for each of several fractions.
std::vector<Array> quantiles(const Array& a, std::span<const double> fractions,
                             const StatisticsOptions& options);
// Roots of sums of squares of real numbers, without overflow; 0 of no elements.
Array euclidean_norm(const Array& a, const StatisticsOptions& options);
// The number that lies the fraction `part` of the way from `low` to `high`; quantiles are such numbers
// between neighbouring order statistics.
double between(double low, double high, double part);
// Sum, product, minimum and maximum, ignoring nan.
Array reduce_without_nan(Reduction op, const Array& a, const Over& over);

}  // namespace quill
