// Statistics of samples: relations of variables, counts in bins, running means, draws.
#pragma once

#include "array/array.h"
#include "numerics/random.h"

namespace quill {

// The most frequent element; of several, the smallest. Numbers, texts or booleans; nan is passed over.
Array mode(const Array& a);

// The covariances of the columns of X, each a variable with one sample in every row, over n - 1; or of two
// vectors.
Array covariance(const Array& x);
// The correlation coefficients of the columns; nan for a column without spread.
Array correlation(const Array& x);

struct Histogram {
  Array counts;                   // int64
  Array edges;                    // one more than the counts
  Array centers, width, density;  // the density integrates to 1 over the bins
};
// Equal bins from the smallest to the largest finite number.
Histogram histogram(const Array& data, Index bins);
// Bins between rising edges; the last one takes its upper edge too.
Histogram histogram(const Array& data, const Array& edges);
// The same of counts that were taken already, int64, with their edges.
Histogram histogram_of_counts(const Array& counts, const Array& edges);
// Edges of equal bins between two finite numbers. Error when there are none between.
Array equal_edges(double low, double high, Index bins);
// Error for a number of bins that a histogram cannot have.
void check_bins(Index bins);

// The mean of the values whose position lies in each bin; nan for an empty one.
Array bin_means(const Array& x, const Array& values, const Array& edges);
// The values in each bin, in their order; those outside of all bins are left out.
std::vector<std::vector<double>> binned(const Array& x, const Array& values, const Array& edges);
// Means over `count` neighbours along an axis, centred; shorter at the ends.
Array moving_mean(const Array& a, Index count, int axis);

// Elements drawn from a vector, each once, or again and again.
Array drawn(RandomStream& random, const Array& v, Index count, bool again);

}  // namespace quill
