// Order statistics of a sample compared with those expected from a distribution or another sample.
#pragma once

#include <vector>

#include "numerics/distributions.h"

namespace quill {

// Points in ascending order; near expected = seen if the sample follows the distribution.
struct QuantileComparison {
  std::vector<double> expected, seen;
  // Bounds that contain the order statistic with expected value `at` with the requested probability; for at
  // most about 200 positions. Empty for two samples.
  std::vector<double> at, low, high;
};

// Order statistics of at least 2 finite numbers, and quantiles of the distribution at their medians. Order
// statistic k of n uniform numbers has the beta distribution with parameters k and n + 1 - k (H. A. David, H.
// N. Nagaraja, Order Statistics, 2003).
QuantileComparison compare_quantiles(std::vector<double> sample, const Distribution& d, double confidence);
// For two samples of at least 2 finite numbers: as many points as the smaller one has elements.
QuantileComparison compare_quantiles(std::vector<double> sample, std::vector<double> other);

}  // namespace quill
