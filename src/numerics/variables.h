// Data of several variables: components, clusters, densities, joint counts.
#pragma once

#include <optional>
#include <vector>

#include "array/array.h"
#include "numerics/random.h"

namespace quill {

// Principal components of the columns of X, each a variable with one sample in every row.
struct PrincipalComponents {
  Array variances;    // descending
  Array shares;       // of the variance of all
  Array directions;   // one in each column, of length 1; its largest element is positive
  Array scores;       // of the samples along the directions
  Array mean, scale;  // what was taken off and divided by
};
// `standardize` divides each variable by its standard deviation first.
PrincipalComponents principal_components(const Array& x, bool standardize);

// k-means of the rows of X (S. P. Lloyd, IEEE Trans. Inf. Theory 28, 1982), seeded with distances (D. Arthur,
// S. Vassilvitskii, 2007); the best of several starts.
struct Clusters {
  Array labels;       // int64 from 1, one for each row
  Array centers;      // one in each row, by descending size of the cluster
  Array sizes;        // int64
  double within = 0;  // sum of squared distances to the centers
  bool converged = true;
};
Clusters cluster(const Array& x, Index count, int starts, RandomStream& random);

// The density of a sample by normal kernels, one variable or two.
class KernelDensity {
 public:
  // Columns of x are variables, one or two. Bandwidths one for each, or by B. W. Silverman's rule (1986):
  // 0.9 min(std, interquartile range / 1.34) n^(-1/5), in two variables std n^(-1/6).
  KernelDensity(const Array& x, const std::optional<std::vector<double>>& bandwidth);
  std::size_t variables() const { return bandwidth_.size(); }
  const std::vector<double>& bandwidth() const { return bandwidth_; }
  Index count() const { return static_cast<Index>(data_[0].size()); }
  double low() const { return data_[0].front(); }
  double high() const { return data_[0].back(); }
  double at(double x) const;
  double at(double x, double y) const;

 private:
  std::vector<std::vector<double>> data_;  // rising in the first variable
  std::vector<double> bandwidth_;
};

// Counts of pairs in the cells between two sets of rising edges; the last cells take their upper edges too.
Array joint_counts(const std::vector<double>& x, const std::vector<double>& y,
                   const std::vector<double>& edges_x, const std::vector<double>& edges_y);
// So many equal bins from the smallest to the largest number.
std::vector<double> equal_edges(const std::vector<double>& v, Index bins);

// Covariances or correlations of the columns of X where pairs with nan are left out, pair by pair.
Array pairwise_covariance(const Array& x, bool is_correlation);

// The quantile of values with weights; with equal weights that of definition 7 (statistics.h).
double weighted_quantile(std::vector<double> values, std::vector<double> weights, double p);

}  // namespace quill
