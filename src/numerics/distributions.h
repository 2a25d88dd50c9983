// Probability distributions: densities, probabilities in both tails, quantiles, draws, fits. Boost.Math and
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

// What one of them is called and takes.
struct DistributionFamily {
  DistributionKind kind;
  std::string_view name;
  std::vector<std::string_view> parameters;
  std::vector<double> defaults;  // nan for a parameter that must be given
};
std::span<const DistributionFamily> distribution_families();
const DistributionFamily& family_of(DistributionKind kind);

class Distribution {
 public:
  // Parameters in the order of its family. An Error that names the first impossible one.
  Distribution(DistributionKind kind, std::vector<double> parameters);
  DistributionKind kind() const { return kind_; }
  const std::vector<double>& parameters() const { return parameters_; }
  bool is_discrete() const {
    return kind_ == DistributionKind::poisson || kind_ == DistributionKind::binomial;
  }

  // Of a discrete distribution the probability of x. All give nan for nan.
  double density(double x) const;
  double log_density(double x) const;
  // The probability of at most x, and of more than x, each with full relative accuracy where it is small.
  double cumulative(double x) const;
  double survival(double x) const;
  // The smallest x whose cumulative probability is at least p, and the one whose survival is at most p; nan
  // unless p is from 0 to 1.
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

// The distribution of a kind that makes independent data most likely.
struct DistributionFit {
  std::vector<double> parameters;
  // Roots of the diagonal of the inverse of the observed information; nan where the likelihood has no smooth
  // maximum (uniform).
  std::vector<double> standard_errors;
  double log_likelihood = 0;
};
// `count` is the number of trials of binomial data. An Error for data that the distribution cannot produce,
// or without a maximum of the likelihood.
DistributionFit fit_distribution(DistributionKind kind, const std::vector<double>& data, double count);

}  // namespace quill
