#include "numerics/quantile_comparison.h"

#include <algorithm>
#include <cmath>

#include "base/interrupt.h"
#include "numerics/sorted.h"

namespace quill {

namespace quantile_comparisons {
namespace {

// The median of order statistic k of n uniform numbers, nearly.
double middle(Index k, Index n) {
  return (static_cast<double>(k) - 1.0 / 3) / (static_cast<double>(n) + 1.0 / 3);
}

// The quantile that order statistic k of n does not exceed with probability p, or 1 - p if `upper`; computed
// from the nearer end, for accuracy in both tails.
double quantile_at(const Distribution& d, Index k, Index n, double p, bool is_upper) {
  const bool from_above = 2 * k > n;
  const auto a = static_cast<double>(from_above ? n + 1 - k : k),
             b = static_cast<double>(from_above ? k : n + 1 - k);
  const Distribution uniform_order(DistributionKind::beta, {a, b});
  const double u = is_upper != from_above ? uniform_order.upper_quantile(p) : uniform_order.quantile(p);
  return from_above ? d.upper_quantile(u) : d.quantile(u);
}

double quantile_in_the_middle(const Distribution& d, Index k, Index n) {
  return 2 * k > n ? d.upper_quantile(middle(n + 1 - k, n)) : d.quantile(middle(k, n));
}

}  // namespace
}  // namespace quantile_comparisons

QuantileComparison compare_quantiles(std::vector<double> sample, const Distribution& d, double confidence) {
  using namespace quantile_comparisons;
  sort_rising(sample);
  const auto n = static_cast<Index>(sample.size());
  QuantileComparison out;
  out.seen = std::move(sample);
  out.expected.reserve(out.seen.size());
  for (Index k = 1; k <= n; ++k) {
    poll_interrupt_at(static_cast<std::size_t>(k));
    out.expected.push_back(quantile_in_the_middle(d, k, n));
  }
  // Every order statistic near the ends, fewer between.
  const double tail = (1 - confidence) / 2;
  const Index half = (n + 1) / 2;
  std::vector<Index> places;
  for (Index k = 1; k <= half; k += 1 + k / 16) places.push_back(k);
  for (auto k = static_cast<Index>(places.size()); k-- > 0;) {
    const Index mirrored = n + 1 - places[static_cast<std::size_t>(k)];
    if (mirrored > places.back()) places.push_back(mirrored);
  }
  for (const Index k : places) {
    poll_interrupt();
    out.at.push_back(out.expected[static_cast<std::size_t>(k - 1)]);
    out.low.push_back(quantile_at(d, k, n, tail, false));
    out.high.push_back(quantile_at(d, k, n, tail, true));
  }
  return out;
}

QuantileComparison compare_quantiles(std::vector<double> sample, std::vector<double> other) {
  sort_rising(sample);
  sort_rising(other);
  const auto n = std::min(sample.size(), other.size());
  QuantileComparison out;
  for (std::size_t k = 0; k < n; ++k) {
    const double p = static_cast<double>(k) / static_cast<double>(n - 1);
    out.seen.push_back(quantile_of_sorted(sample, p));
    out.expected.push_back(quantile_of_sorted(other, p));
  }
  return out;
}

}  // namespace quill
