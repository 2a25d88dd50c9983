// Tests by ranks: of location and of correlation.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/interrupt.h"
#include "base/number.h"
#include "numerics/distributions.h"
#include "numerics/hypothesis.h"
#include "numerics/sorted.h"

namespace quill {

namespace rank_tests {
namespace {

constexpr double kInfinity = std::numeric_limits<double>::infinity();

Distribution standard_normal() { return {DistributionKind::normal, {0, 1}}; }

// Σ t³ - t over the groups of equal elements.
double tie_term(Sample v) {
  sort_rising(v);
  double sum = 0;
  for (std::size_t k = 0; k < v.size();) {
    std::size_t end = k;
    while (end < v.size() && v[end] == v[k]) ++end;
    const auto t = static_cast<double>(end - k);
    sum += t * t * t - t;
    k = end;
  }
  return sum;
}

// Probabilities of the integers from 0.
using Shares = std::vector<double>;

// Of the sum of `count` of these integers, drawn without replacement.
Shares sums_of_subsets(const std::vector<int>& scores, std::size_t count) {
  std::vector<int> rising = scores;
  std::sort(rising.begin(), rising.end());
  const auto most =
      static_cast<std::size_t>(std::accumulate(rising.end() - static_cast<Index>(count), rising.end(), 0));
  std::vector<Shares> ways(count + 1, Shares(most + 1));
  ways[0][0] = 1;
  for (const int score : rising) {
    poll_interrupt();
    const auto s = static_cast<std::size_t>(score);
    for (std::size_t j = count; j >= 1; --j)
      for (std::size_t sum = most; sum >= s && sum <= most; --sum) ways[j][sum] += ways[j - 1][sum - s];
  }
  const double all = std::accumulate(ways[count].begin(), ways[count].end(), 0.0);
  for (double& w : ways[count]) w /= all;
  return ways[count];
}

// Of the sum of these integers, each taken or not with equal probability.
Shares sums_by_signs(const std::vector<int>& scores) {
  const auto most = static_cast<std::size_t>(std::accumulate(scores.begin(), scores.end(), 0));
  Shares out(most + 1);
  out[0] = 1;
  for (const int score : scores) {
    poll_interrupt();
    const auto s = static_cast<std::size_t>(score);
    for (std::size_t sum = most + 1; sum-- > 0;) out[sum] = 0.5 * (out[sum] + (sum >= s ? out[sum - s] : 0));
  }
  return out;
}

double tail(const Shares& shares, double mean, double seen, Alternative alternative) {
  double p = 0;
  for (std::size_t k = 0; k < shares.size(); ++k) {
    const auto at = static_cast<double>(k);
    const bool counts = alternative == Alternative::less ? at <= seen
                        : alternative == Alternative::greater
                            ? at >= seen
                            : std::fabs(at - mean) >= std::fabs(seen - mean) - 1e-9;
    if (counts) p += shares[k];
  }
  return std::min(1.0, p);
}

double normal_tail(double distance, double error, double continuity, Alternative alternative) {
  if (error == 0) return 1;
  const auto d = standard_normal();
  if (alternative == Alternative::less) return d.cumulative((distance + continuity) / error);
  if (alternative == Alternative::greater) return d.survival((distance - continuity) / error);
  return std::min(1.0, 2 * d.survival(std::max(0.0, std::fabs(distance) - continuity) / error));
}

std::vector<int> doubled(const std::vector<double>& ranks) {
  std::vector<int> out;
  for (const double r : ranks) out.push_back(static_cast<int>(std::lround(2 * r)));
  return out;
}

// Number of sorted pairwise values to omit at each end for a probability of at most `rest`: the largest k
// with P(statistic ≤ k - 1) ≤ rest. `shares` is the distribution of twice the statistic over `offset`, or
// empty for the normal approximation.
Index left_out(const Shares& shares, double offset, double mean, double error, double rest) {
  if (shares.empty())
    return std::max<Index>(
        0, static_cast<Index>(std::floor(mean - standard_normal().upper_quantile(rest) * error)));
  double p = 0;
  Index k = 0;
  for (std::size_t at = 0; at < shares.size(); ++at) {
    p += shares[at];
    if (p > rest) break;
    k = static_cast<Index>(std::floor((static_cast<double>(at) - offset) / 2 + 1e-9)) + 1;
  }
  return std::max<Index>(0, k);
}

std::array<double, 2> interval_in(const Sample& sorted, Index left, Alternative alternative) {
  const auto n = static_cast<Index>(sorted.size());
  const bool is_open = left < 1 || left > n;
  const double low = is_open ? -kInfinity : sorted[static_cast<std::size_t>(left - 1)],
               high = is_open ? kInfinity : sorted[static_cast<std::size_t>(n - left)];
  return {alternative == Alternative::less ? -kInfinity : low,
          alternative == Alternative::greater ? kInfinity : high};
}

double median_of(const Sample& sorted) {
  const auto n = sorted.size();
  return n % 2 ? sorted[n / 2] : sorted[n / 2 - 1] / 2 + sorted[n / 2] / 2;
}

double tail_share(const TestOptions& o) {
  return o.alternative == Alternative::two_sided ? (1 - o.confidence) / 2 : 1 - o.confidence;
}

constexpr std::size_t kMostPairs = 4'000'000;

}  // namespace
}  // namespace rank_tests

using namespace rank_tests;

std::vector<double> ranks_of(const Sample& v) {
  const auto order = rising_order(v);
  std::vector<double> out(v.size());
  for (std::size_t k = 0; k < v.size();) {
    std::size_t end = k;
    while (end < v.size() && v[order[end]] == v[order[k]]) ++end;
    for (std::size_t j = k; j < end; ++j) out[order[j]] = static_cast<double>(k + end + 1) / 2;
    k = end;
  }
  return out;
}

TestResult rank_test(const Sample& a, const Sample& b, const TestOptions& options) {
  if (a.empty() || b.empty()) fail("a rank test needs elements in both samples");
  Sample all = a;
  all.insert(all.end(), b.begin(), b.end());
  const auto ranks = ranks_of(all);
  const auto n = static_cast<double>(a.size()), m = static_cast<double>(b.size()), sum = n + m;
  const double of_a = std::accumulate(ranks.begin(), ranks.begin() + static_cast<Index>(a.size()), 0.0);
  TestResult r;
  r.statistic = of_a - n * (n + 1) / 2;
  r.effect = r.statistic / (n * m);
  const double error = std::sqrt(n * m / 12 * (sum + 1 - tie_term(all) / (sum * (sum - 1))));
  Shares shares;
  constexpr std::size_t most_exact = 100;
  if (all.size() <= most_exact) {
    shares = sums_of_subsets(doubled(ranks), a.size());
    r.p = tail(shares, n * (sum + 1), 2 * of_a, options.alternative);
    r.method = "rank test (Mann–Whitney), exact";
  } else {
    r.p = normal_tail(r.statistic - n * m / 2, error, 0.5, options.alternative);
    r.method = "rank test (Mann–Whitney), normal approximation";
  }
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  if (a.size() * b.size() <= kMostPairs) {
    Sample differences;
    differences.reserve(a.size() * b.size());
    for (const double x : a) {
      poll_interrupt();
      for (const double y : b) differences.push_back(x - y);
    }
    sort_rising(differences);
    r.estimate = median_of(differences);
    r.interval =
        interval_in(differences, left_out(shares, n * (n + 1), n * m / 2, error, tail_share(options)),
                    options.alternative);
  }
  return r;
}

TestResult signed_rank_test(const Sample& given, const TestOptions& options) {
  Sample d, sizes;
  for (const double x : given)
    if (x != 0) d.push_back(x), sizes.push_back(std::fabs(x));
  if (d.empty()) fail("a signed rank test needs differences other than 0");
  const auto ranks = ranks_of(sizes);
  const auto n = static_cast<double>(d.size()), total = n * (n + 1) / 2;
  TestResult r;
  for (std::size_t k = 0; k < d.size(); ++k)
    if (d[k] > 0) r.statistic += ranks[k];
  r.effect = (2 * r.statistic - total) / total;
  const double error = std::sqrt(n * (n + 1) * (2 * n + 1) / 24 - tie_term(sizes) / 48);
  Shares shares;
  constexpr std::size_t most_exact = 200;
  if (d.size() <= most_exact) {
    shares = sums_by_signs(doubled(ranks));
    r.p = tail(shares, total, 2 * r.statistic, options.alternative);
    r.method = "signed rank test (Wilcoxon), exact";
  } else {
    r.p = normal_tail(r.statistic - total / 2, error, 0.5, options.alternative);
    r.method = "signed rank test (Wilcoxon), normal approximation";
  }
  r.estimate = NAN;
  r.interval = {NAN, NAN};
  if (d.size() * d.size() / 2 <= kMostPairs) {
    Sample averages;
    for (std::size_t i = 0; i < d.size(); ++i)
      for (std::size_t j = 0; j <= i; ++j) averages.push_back(d[i] / 2 + d[j] / 2);
    sort_rising(averages);
    r.estimate = median_of(averages);
    r.interval = interval_in(averages, left_out(shares, 0, total / 2, error, tail_share(options)),
                             options.alternative);
  }
  return r;
}

namespace rank_tests {
namespace {

double correlation_of(const std::vector<double>& x, const std::vector<double>& y) {
  const auto n = static_cast<double>(x.size());
  const double mx = std::accumulate(x.begin(), x.end(), 0.0) / n,
               my = std::accumulate(y.begin(), y.end(), 0.0) / n;
  double xx = 0, yy = 0, xy = 0;
  for (std::size_t k = 0; k < x.size(); ++k) {
    xx += (x[k] - mx) * (x[k] - mx);
    yy += (y[k] - my) * (y[k] - my);
    xy += (x[k] - mx) * (y[k] - my);
  }
  return xy / std::sqrt(xx * yy);
}

// The share of the orders of y for which a statistic is as far from 0 as the one seen.
double share_of_orders(std::vector<double> y, double seen, Alternative alternative,
                       const std::function<double(const std::vector<double>&)>& statistic) {
  std::vector<std::size_t> order(y.size());
  std::iota(order.begin(), order.end(), 0);
  const auto given = y;
  double hits = 0, all = 0;
  constexpr double rounding = 1e-9;
  do {
    for (std::size_t k = 0; k < y.size(); ++k) y[k] = given[order[k]];
    const double s = statistic(y);
    const bool counts = alternative == Alternative::less      ? s <= seen + rounding
                        : alternative == Alternative::greater ? s >= seen - rounding
                                                              : std::fabs(s) >= std::fabs(seen) - rounding;
    hits += counts ? 1 : 0;
    all += 1;
  } while (std::next_permutation(order.begin(), order.end()));
  return hits / all;
}

std::array<double, 2> fisher_interval(double r, double error, const TestOptions& o) {
  const double reach = standard_normal().upper_quantile(tail_share(o)) * error, z = std::atanh(r);
  return {o.alternative == Alternative::less ? -1 : std::tanh(z - reach),
          o.alternative == Alternative::greater ? 1 : std::tanh(z + reach)};
}

void check_pairs(const Sample& x, const Sample& y) {
  if (x.size() < 3) fail(fmt::format("a test of correlation needs at least 3 pairs, not {}", x.size()));
  for (const auto* v : {&x, &y})
    if (std::all_of(v->begin(), v->end(), [&](double e) { return e == v->front(); }))
      fail("a test of correlation needs different values in both variables");
}

}  // namespace
}  // namespace rank_tests

TestResult spearman_test(const Sample& x, const Sample& y, const TestOptions& options) {
  check_pairs(x, y);
  const auto a = ranks_of(x), b = ranks_of(y);
  const auto n = static_cast<double>(x.size());
  TestResult r;
  const double rho = std::clamp(correlation_of(a, b), -1.0, 1.0);
  r.statistic = r.estimate = r.effect = rho;
  constexpr std::size_t most_exact = 9;
  if (x.size() <= most_exact) {
    r.p = share_of_orders(b, rho, options.alternative,
                          [&](const auto& order) { return correlation_of(a, order); });
    r.method = "rank correlation (Spearman), exact";
  } else {
    const Distribution d(DistributionKind::student_t, {n - 2});
    const double t = std::min(1e300, std::fabs(rho) * std::sqrt((n - 2) / ((1 - rho) * (1 + rho))));
    const double signed_t = std::copysign(t, rho);
    r.p = options.alternative == Alternative::less      ? d.cumulative(signed_t)
          : options.alternative == Alternative::greater ? d.survival(signed_t)
                                                        : 2 * d.survival(t);
    r.degrees_of_freedom = {n - 2};
    r.method = "rank correlation (Spearman), t approximation";
  }
  r.interval = {NAN, NAN};
  if (n > 3 && std::fabs(rho) < 1)
    r.interval = fisher_interval(rho, std::sqrt((1 + rho * rho / 2) / (n - 3)), options);
  return r;
}

namespace rank_tests {
namespace {

// Σ f(t) over the groups of equal elements of a sorted vector.
template <class F>
double over_ties(Sample v, F f) {
  sort_rising(v);
  double sum = 0;
  for (std::size_t k = 0; k < v.size();) {
    std::size_t end = k;
    while (end < v.size() && v[end] == v[k]) ++end;
    sum += f(static_cast<double>(end - k));
    k = end;
  }
  return sum;
}

// Concordant less discordant pairs.
double concordance(const Sample& x, const Sample& y) {
  std::vector<std::size_t> order(x.size());
  std::iota(order.begin(), order.end(), 0);
  std::sort(order.begin(), order.end(),
            [&](auto a, auto b) { return x[a] < x[b] || (x[a] == x[b] && y[a] < y[b]); });
  std::vector<double> v;
  double both = 0, run = 1;
  for (std::size_t k = 0; k < order.size(); ++k) {
    v.push_back(y[order[k]]);
    const bool is_same = k > 0 && x[order[k]] == x[order[k - 1]] && y[order[k]] == y[order[k - 1]];
    run = is_same ? run + 1 : 1;
    both += run - 1;
  }
  const auto pairs = [](double t) { return t * (t - 1) / 2; };
  const auto n = static_cast<double>(x.size());
  const double of_x = over_ties(x, pairs), of_y = over_ties(y, pairs);
  return pairs(n) - of_x - of_y + both - 2 * exchanges(std::move(v));
}

// Distribution of the number of inversions in a random permutation of n elements.
Shares inversions(std::size_t n) {
  Shares out = {1};
  for (std::size_t k = 2; k <= n; ++k) {
    Shares next(out.size() + k - 1);
    for (std::size_t s = 0; s < out.size(); ++s)
      for (std::size_t j = 0; j < k; ++j) next[s + j] += out[s] / static_cast<double>(k);
    out = std::move(next);
  }
  return out;
}

}  // namespace
}  // namespace rank_tests

TestResult kendall_test(const Sample& x, const Sample& y, const TestOptions& options) {
  check_pairs(x, y);
  const auto n = static_cast<double>(x.size());
  const auto pairs = [](double t) { return t * (t - 1) / 2; };
  const double s = concordance(x, y), all = pairs(n), ties_x = over_ties(x, pairs),
               ties_y = over_ties(y, pairs);
  TestResult r;
  const double tau = s / std::sqrt(all - ties_x) / std::sqrt(all - ties_y);
  r.statistic = r.estimate = r.effect = tau;
  const bool has_ties = ties_x > 0 || ties_y > 0;
  constexpr std::size_t most_exact = 100, most_orders = 8;
  if (!has_ties && x.size() <= most_exact) {
    const auto shares = inversions(x.size());
    // S = pairs - 2·inversions.
    double p = 0;
    for (std::size_t k = 0; k < shares.size(); ++k) {
      const double at = all - 2 * static_cast<double>(k);
      const bool counts = options.alternative == Alternative::less      ? at <= s
                          : options.alternative == Alternative::greater ? at >= s
                                                                        : std::fabs(at) >= std::fabs(s);
      if (counts) p += shares[k];
    }
    r.p = std::min(1.0, p);
    r.method = "rank correlation (Kendall), exact";
  } else if (x.size() <= most_orders) {
    r.p =
        share_of_orders(y, s, options.alternative, [&](const auto& order) { return concordance(x, order); });
    r.method = "rank correlation (Kendall), exact";
  } else {
    const auto cubes = [](double t) { return t * (t - 1) * (2 * t + 5); };
    const auto triples = [](double t) { return t * (t - 1) * (t - 2); };
    const double variance = (cubes(n) - over_ties(x, cubes) - over_ties(y, cubes)) / 18 +
                            4 * ties_x * ties_y / (2 * n * (n - 1)) +
                            over_ties(x, triples) * over_ties(y, triples) / (9 * n * (n - 1) * (n - 2));
    r.p = normal_tail(s, std::sqrt(variance), 1, options.alternative);
    r.method = "rank correlation (Kendall), normal approximation";
  }
  r.interval = {NAN, NAN};
  constexpr double by_simulation = 0.437;  // E. C. Fieller, H. O. Hartley, E. S. Pearson, Biometrika 44, 1957
  if (n > 4 && std::fabs(tau) < 1)
    r.interval = fisher_interval(tau, std::sqrt(by_simulation / (n - 4)), options);
  return r;
}

}  // namespace quill
