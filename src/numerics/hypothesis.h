// Hypothesis tests, with exact distributions for small samples.
#pragma once

#include <array>
#include <functional>
#include <string>
#include <vector>

#include "numerics/random.h"

namespace quill {

// The alternative hypothesis: a difference in either direction, a below b, a above b.
enum class Alternative : std::uint8_t { two_sided, less, greater };

struct TestOptions {
  Alternative alternative = Alternative::two_sided;
  double confidence = 0.95;
};

struct TestResult {
  double statistic = 0;
  double p = 0;
  std::vector<double> degrees_of_freedom{};  // empty for distributions without
  std::array<double, 2> interval{};          // of the estimate; nan where the test has none
  double estimate = 0;                       // what the interval refers to
  double effect = 0;                         // nan where the test has none
  std::string method{};
};

using Sample = std::vector<double>;

// Student's t: the mean of one sample against a number (also for differences of pairs), and the means of two
// samples, with Welch's degrees of freedom or with equal variances. The effect is Cohen's d.
TestResult t_test(const Sample& a, double mean, const TestOptions& options);
TestResult t_test(const Sample& a, const Sample& b, bool equal_variances, const TestOptions& options);
// Mann and Whitney: the effect is the probability that an element of a exceeds one of b, ties counted half;
// the interval is that of the shift (Hodges, Lehmann). Exact up to 100 elements, ties included.
TestResult rank_test(const Sample& a, const Sample& b, const TestOptions& options);
// Wilcoxon's signed ranks of differences, without zeros. The effect is the difference of the fractions of
// positive and negative ranks. Exact up to 200 differences, ties included.
TestResult signed_rank_test(const Sample& differences, const TestOptions& options);
// Pearson's χ² of counts against expected counts (scaled to the same total), and of independence of rows and
// columns. A 2×2 table with an expected count below 5 is tested exactly (Fisher).
TestResult chi_squared_test(const Sample& observed, const Sample& expected);
TestResult independence_test(const std::vector<Sample>& table);
// Smallest expected count of a table under independence.
double smallest_expected(const std::vector<Sample>& table);
// F test of two variances.
TestResult variance_test(const Sample& a, const Sample& b, const TestOptions& options);
// One-way analysis of variance; the effect is η².
TestResult analysis_of_variance(const std::vector<Sample>& groups);
// Kolmogorov and Smirnov: the largest distance between the distribution of a sample and a given one, or that
// of another sample.
TestResult distribution_test(Sample data, const std::function<double(double)>& cumulative);
TestResult distribution_test(Sample a, Sample b);
// Shapiro and Wilk, by P. Royston's approximation for 3 to 5000 elements.
TestResult normality_test(Sample data);
// Correlation of pairs.
TestResult pearson_test(const Sample& x, const Sample& y, const TestOptions& options);
TestResult spearman_test(const Sample& x, const Sample& y, const TestOptions& options);
TestResult kendall_test(const Sample& x, const Sample& y, const TestOptions& options);

// Ranks from 1; ties share their mean rank.
std::vector<double> ranks_of(const Sample& v);
// Adjusted p values: S. Holm, 1979; Y. Benjamini, Y. Hochberg, 1995.
std::vector<double> holm_adjusted(const std::vector<double>& p);
std::vector<double> false_discovery_adjusted(const std::vector<double>& p);

// Probability that the Kolmogorov–Smirnov distance for n elements is at least d.
double kolmogorov_survival(Index n, double d);

}  // namespace quill
