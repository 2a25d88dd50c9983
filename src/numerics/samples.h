// Statistics of samples: relations of variables, bin counts, moving means, random draws.
#pragma once

#include "array/array.h"
#include "numerics/random.h"

namespace quill {

// The most frequent element; the smallest of several. Numbers, texts or booleans; ignores nan.
Array mode(const Array& a);

// Covariance matrix of the columns of X, with a sample in each row, over n - 1; or of two vectors.
Array covariance(const Array& x);
// Correlation matrix of the columns; nan for constant columns.
Array correlation(const Array& x);

struct Histogram {
  Array counts;                   // int64
  Array edges;                    // one more than the counts
  Array centers, width, density;  // the density integrates to 1 over the bins
};
// Equal bins from the smallest to the largest finite number.
Histogram histogram(const Array& data, Index bins);
// Bins between increasing edges; the last one includes its upper edge.
Histogram histogram(const Array& data, const Array& edges);
// The same from existing int64 counts and their edges.
Histogram histogram_of_counts(const Array& counts, const Array& edges);
// Edges of equal bins between two finite numbers. Throws Error if they are too close.
Array equal_edges(double low, double high, Index bins);
// Throws Error for an invalid number of bins.
void check_bins(Index bins);

// Mean of the values whose position is in each bin; nan for empty bins.
Array bin_means(const Array& x, const Array& values, const Array& edges);
// Values in each bin, in order, without those outside of all bins.
std::vector<std::vector<double>> binned(const Array& x, const Array& values, const Array& edges);
// Means over `count` neighbours along an axis, centred; shorter at the ends.
Array moving_mean(const Array& a, Index count, int axis);

// Draws elements from a vector without or with replacement.
Array drawn(RandomStream& random, const Array& v, Index count, bool again);

}  // namespace quill
