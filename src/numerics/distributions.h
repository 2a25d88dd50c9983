// Probability distributions: densities, tail probabilities, quantiles, random numbers, fits. Boost.Math and
// Boost.Random.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "numerics/random.h"

namespace quill {

enum class DistributionKind : std::uint8_t {
  normal,
  student_t,
  chi_squared,
  f,
  uniform,
  exponential,
  gamma,
  beta,
  log_normal,
  weibull,
  poisson,
  binomial,
};

// Name and parameters of a family.
struct DistributionFamily {
  DistributionKind kind;
  std::string_view name;
  std::vector<std::string_view> parameters;
  std::vector<double> defaults;  // nan for a required parameter
};
std::span<const DistributionFamily> distribution_families();
const DistributionFamily& family_of(DistributionKind kind);

class Distribution {
 public:
  // Parameters in the order of the family. Throws Error naming the first invalid one.
  Distribution(DistributionKind kind, std::vector<double> parameters);
  DistributionKind kind() const { return kind_; }
  const std::vector<double>& parameters() const { return parameters_; }
  bool is_discrete() const {
    return kind_ == DistributionKind::poisson || kind_ == DistributionKind::binomial;
  }

  // Probability density, or probability of x if discrete. All functions give nan for nan.
  double density(double x) const;
  double log_density(double x) const;
  // Probabilities of at most x and of more than x; small ones with full relative accuracy.
  double cumulative(double x) const;
  double survival(double x) const;
  // Smallest x whose cumulative probability is at least p, and whose survival probability is at most p; nan
  // unless 0 ≤ p ≤ 1.
  double quantile(double p) const;
  double upper_quantile(double p) const;
  double mean() const;  // nan or inf where it does not exist
  double std() const;

  double draw(RandomStream& random) const;
  Array draw(RandomStream& random, const Shape& shape) const;

 private:
  struct Library;
  double refined(double x, double p, bool is_upper) const;
  double counted_quantile(double p, bool is_upper) const;
  std::optional<std::pair<double, double>> as_gamma(double x) const;
  bool is_large() const;

  DistributionKind kind_;
  std::vector<double> parameters_;
  std::shared_ptr<const Library> library_;
  double low_ = 0, high_ = 0;  // ends of the support
};

// Maximum likelihood fit of a distribution to independent data.
struct DistributionFit {
  std::vector<double> parameters;
  // Square roots of the diagonal of the inverse observed information; nan if the likelihood has no smooth
  // maximum (uniform).
  std::vector<double> standard_errors;
  double log_likelihood = 0;
};
// `count`: number of trials of binomial data. Throws Error for data that the distribution cannot produce, or
// without a maximum of the likelihood.
DistributionFit fit_distribution(DistributionKind kind, const std::vector<double>& data, double count);

}  // namespace quill
