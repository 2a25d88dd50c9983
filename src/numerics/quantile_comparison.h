// The order statistics of a sample beside those that a distribution, or another sample, lets expect.
#pragma once

#include <vector>

#include "numerics/distributions.h"

namespace quill {

// Points in rising order; the sample follows the distribution if they are near expected = seen.
struct QuantileComparison {
  std::vector<double> expected, seen;
  // Between `low` and `high` lies the order statistic whose expected value is `at`, with the probability that
  // was asked for; for at most about 200 places. Empty for two samples.
  std::vector<double> at, low, high;
};

// The order statistics of at least 2 finite numbers beside the quantiles of the distribution at their
// medians. The order statistic k of n uniform numbers has the beta distribution with parameters k and n + 1 -
// k (H. A. David, H. N. Nagaraja, Order Statistics, 2003).
QuantileComparison compare_quantiles(std::vector<double> sample, const Distribution& d, double confidence);
// Of two samples of at least 2 finite numbers: as many points as the smaller one has elements.
QuantileComparison compare_quantiles(std::vector<double> sample, std::vector<double> other);

}  // namespace quill
