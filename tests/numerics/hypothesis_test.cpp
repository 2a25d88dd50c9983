// Tests of hypotheses against published values, enumerations and their own error rates.
#include "numerics/hypothesis.h"

#include <algorithm>
#include <catch2/catch.hpp>
#include <cmath>
#include <numeric>
#include <random>

#include "numerics/distributions.h"
#include "numerics/helpers.h"
#include "numerics/resampling.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;

namespace {

Sample scaled(Sample v, double by) {
  for (double& x : v) x *= by;
  return v;
}

Sample normal_sample(std::mt19937_64& random, int n, double mean = 0, double std = 1) {
  std::normal_distribution<double> normal(mean, std);
  Sample out(static_cast<std::size_t>(n));
  for (double& x : out) x = normal(random);
  return out;
}

const Sample kFirst = {0.7, -1.6, -0.2, -1.2, -0.1, 3.4, 3.7, 0.8, 0.0, 2.0};
const Sample kSecond = {1.9, 0.8, 1.1, 0.1, -0.1, 4.4, 5.5, 1.6, 4.6, 3.4};

Sample differences(const Sample& a, const Sample& b) {
  Sample out;
  for (std::size_t k = 0; k < a.size(); ++k) out.push_back(a[k] - b[k]);
  return out;
}

}  // namespace

TEST_CASE("t tests have the published values of the hours of sleep gained") {
  // "Student", Biometrika 6, 1908.
  const auto pairs = t_test(differences(kFirst, kSecond), 0, {});
  CHECK(pairs.statistic == Approx(-4.0621).epsilon(1e-5));
  CHECK(pairs.p == Approx(0.00283289).epsilon(1e-5));
  const auto welch = t_test(kFirst, kSecond, false, {});
  CHECK(welch.degrees_of_freedom[0] == Approx(17.776).epsilon(1e-4));
  CHECK(welch.p == Approx(0.07939).epsilon(1e-4));
  CHECK(welch.interval[0] == Approx(-3.3654832).epsilon(1e-6));
  CHECK(welch.interval[1] == Approx(0.2054832).epsilon(1e-6));
  CHECK(t_test(kFirst, kSecond, true, {}).p == Approx(0.07918671).epsilon(1e-6));
  for (const double by : {1e-300, 1e-12, 1e12, 1e150, 1e300}) {
    const auto other = t_test(scaled(kFirst, by), scaled(kSecond, by), false, {});
    CHECK(other.p == Approx(welch.p).epsilon(1e-10));
    CHECK(other.interval[0] == Approx(by * welch.interval[0]).epsilon(1e-10));
  }
}

TEST_CASE("counts have the published tests") {
  // G. Mendel's peas, 1866: 9 : 3 : 3 : 1.
  const auto peas = chi_squared_test({315, 108, 101, 32}, {9, 3, 3, 1});
  CHECK(peas.statistic == Approx(0.470024).epsilon(1e-5));
  CHECK(peas.p == Approx(0.925426).epsilon(1e-5));
  // R. A. Fisher's tasting of tea, 1935.
  CHECK(independence_test({{3, 1}, {1, 3}}).p == Approx(0.4857142857).epsilon(1e-9));
  CHECK(independence_test({{4, 0}, {0, 4}}).p == Approx(2.0 / 70).epsilon(1e-9));
  // Rows in proportion are independent.
  const auto none = independence_test({{10, 20, 30}, {20, 40, 60}});
  CHECK(none.statistic == Approx(0).margin(1e-12));
  CHECK(none.p == Approx(1));
  CHECK(none.degrees_of_freedom[0] == 2);
}

TEST_CASE("variances are compared by F") {
  const auto r = analysis_of_variance({{1, 2, 3}, {2, 3, 4}, {5, 6, 7}});
  CHECK(r.statistic == Approx(13));
  CHECK(r.p == Approx(27.0 / 4096).epsilon(1e-12));  // F of 2 and 6 degrees of freedom in closed form
  CHECK(r.effect == Approx(26.0 / 32));
  const auto v = variance_test({1, 5, 9, 3}, {2, 3, 2, 3}, {});
  CHECK(v.statistic == Approx(11.666666666666666 / (1.0 / 3)).epsilon(1e-12));
  CHECK(v.interval[0] < v.statistic);
  CHECK(v.interval[1] > v.statistic);
  // Two groups: the square of t.
  const auto two = analysis_of_variance({kFirst, kSecond});
  CHECK(two.p == Approx(t_test(kFirst, kSecond, true, {}).p).epsilon(1e-10));
}

TEST_CASE("normality has the published value of eleven weights") {
  // S. S. Shapiro, M. B. Wilk, Biometrika 52, 1965.
  const Sample weights = {148, 154, 158, 160, 161, 162, 166, 170, 182, 195, 236};
  const auto r = normality_test(weights);
  CHECK(r.statistic == Approx(0.7888).margin(1e-4));
  CHECK(r.p == Approx(0.0067).margin(1e-4));
  CHECK(normality_test(scaled(weights, 1e-12)).p == Approx(r.p).epsilon(1e-10));
  CHECK(normality_test({1, 2, 3}).statistic == Approx(1).epsilon(1e-12));
}

TEST_CASE("rank tests are enumerations of all divisions, ties included") {
  std::mt19937_64 random(4);
  for (int k = 0; k < 60; ++k) {
    const auto n = 1 + random() % 5, m = 1 + random() % 5;
    Sample a(n), b(m);
    for (auto* v : {&a, &b})
      for (double& x : *v) x = static_cast<double>(random() % 6);
    Sample all = a;
    all.insert(all.end(), b.begin(), b.end());
    const auto ranks = ranks_of(all);
    const double seen = std::accumulate(ranks.begin(), ranks.begin() + static_cast<Index>(n), 0.0),
                 mean = static_cast<double>(n * (n + m + 1)) / 2;
    std::vector<bool> is_first(n + m, false);
    std::fill_n(is_first.begin(), n, true);
    double both = 0, above = 0, count = 0;
    do {
      double sum = 0;
      for (std::size_t j = 0; j < n + m; ++j) sum += is_first[j] ? ranks[j] : 0;
      both += std::fabs(sum - mean) >= std::fabs(seen - mean) - 1e-9;
      above += sum >= seen - 1e-9;
      ++count;
    } while (std::prev_permutation(is_first.begin(), is_first.end()));
    CAPTURE(a, b);
    CHECK(rank_test(a, b, {}).p == Approx(both / count).epsilon(1e-12));
    CHECK(rank_test(a, b, {Alternative::greater, 0.95}).p == Approx(above / count).epsilon(1e-12));
  }
}

TEST_CASE("signed ranks have the critical values of the tables") {
  // F. Wilcoxon, 1945: for 10 pairs 8 or less at 5 %, exactly 50 of 1024.
  const auto r = signed_rank_test({-1, -2, -5, 3, 4, 6, 7, 8, 9, 10}, {});
  CHECK(r.statistic == 47);
  CHECK(r.p == Approx(50.0 / 1024).epsilon(1e-12));
  CHECK(signed_rank_test({1, 2, 3, 4, -5, 6}, {}).p == Approx(0.3125));
  CHECK(signed_rank_test({0, 0, 1, 2, 3}, {}).p == Approx(0.25));
  // The normal approximation meets the exact distribution.
  std::mt19937_64 random(6);
  auto v = normal_sample(random, 200, 0.1);
  const double exact = signed_rank_test(v, {}).p;
  v.push_back(1e-9);
  CHECK(signed_rank_test(v, {}).p == Approx(exact).margin(0.01));
}

TEST_CASE("correlations have the tables of small samples") {
  // M. G. Kendall, 1938: of 5 elements S = 6 or more in 14 of 120 orders.
  CHECK(kendall_test({1, 2, 3, 4, 5}, {2, 1, 4, 3, 5}, {}).p == Approx(28.0 / 120).epsilon(1e-12));
  CHECK(kendall_test({1, 2, 3, 4, 5}, {1, 2, 3, 4, 5}, {Alternative::greater, 0.95}).p == Approx(1.0 / 120));
  // Spearman: of 5 elements a coefficient of 0.9 or more in 5 of 120 orders.
  const auto s = spearman_test({1, 2, 3, 4, 5}, {1, 2, 3, 5, 4}, {Alternative::greater, 0.95});
  CHECK(s.estimate == Approx(0.9));
  CHECK(s.p == Approx(5.0 / 120).epsilon(1e-12));
  // Counted pair by pair, with ties.
  std::mt19937_64 random(9);
  for (int k = 0; k < 40; ++k) {
    Sample x(20), y(20);
    for (std::size_t j = 0; j < 20; ++j)
      x[j] = static_cast<double>(random() % 7), y[j] = static_cast<double>(random() % 7);
    double sum = 0, tied_x = 0, tied_y = 0;
    for (std::size_t i = 0; i < 20; ++i)
      for (std::size_t j = 0; j < i; ++j) {
        const double p = (x[i] - x[j]) * (y[i] - y[j]);
        sum += (p > 0) - (p < 0);
        tied_x += x[i] == x[j];
        tied_y += y[i] == y[j];
      }
    CHECK(kendall_test(x, y, {}).estimate ==
          Approx(sum / std::sqrt((190 - tied_x) * (190 - tied_y))).epsilon(1e-12));
  }
  const Sample x = {1, 2, 3, 4}, y = {2.5, 4.5, 6.5, 8.5};
  CHECK(pearson_test(x, y, {}).estimate == Approx(1));
  CHECK(pearson_test(x, y, {}).p < 1e-12);
}

TEST_CASE("the distance of Kolmogorov and Smirnov has its published probabilities") {
  // G. Marsaglia, W. W. Tsang, J. Wang, 2003.
  CHECK(1 - kolmogorov_survival(10, 0.274) == Approx(0.6284796154565).epsilon(1e-11));
  CHECK(1 - kolmogorov_survival(2000, 0.04) == Approx(0.99676943191713676985).epsilon(1e-6));
  CHECK(kolmogorov_survival(1, 0.75) == Approx(0.5));
  // Two points: P(D ≥ d) = 1 - 2(2d - 1/2)² up to 1/2, 2(1 - d)² above.
  CHECK(kolmogorov_survival(2, 0.4) == Approx(1 - 2 * 0.3 * 0.3).epsilon(1e-12));
  CHECK(kolmogorov_survival(2, 0.8) == Approx(2 * 0.2 * 0.2).epsilon(1e-12));
  // Both ways meet where one takes over from the other.
  for (const Index n : {5, 20, 100, 900}) {
    const double d = std::sqrt(2.2 / static_cast<double>(n));
    CHECK(kolmogorov_survival(n, d * (1 - 1e-9)) ==
          Approx(kolmogorov_survival(n, d * (1 + 1e-9))).epsilon(1e-4));
  }
  for (const double x : {0.5, 0.8, 1.2})
    CHECK(kolmogorov_survival(1000, x / std::sqrt(1000)) ==
          Approx(kolmogorov_survival(1001, x / std::sqrt(1001))).epsilon(3e-4));
  CHECK(distribution_test({1, 2, 3}, Sample{4, 5, 6}).p == Approx(2.0 / 20));
  CHECK(distribution_test({1, 2}, Sample{1, 2}).p == 1);
}

TEST_CASE("tests reject true hypotheses as often as they say, and intervals cover") {
  std::mt19937_64 random(12);
  const int trials = repeats(2000);
  const double most = 0.05 + 4 * std::sqrt(0.05 * 0.95 / trials),
               least = 0.05 - 4 * std::sqrt(0.05 * 0.95 / trials);
  std::map<std::string, double> rejected, covered;
  for (int k = 0; k < trials; ++k) {
    const auto a = normal_sample(random, 12), b = normal_sample(random, 15, 0, 3),
               c = normal_sample(random, 12);
    const auto count = [&](const std::string& name, const TestResult& r, double boolean) {
      rejected[name] += r.p <= 0.05;
      covered[name] += std::isnan(r.interval[0]) || (r.interval[0] <= boolean && boolean <= r.interval[1]);
    };
    count("t", t_test(a, 0, {}), 0);
    count("welch", t_test(a, b, false, {}), 0);
    count("equal", t_test(a, c, true, {}), 0);
    count("variance", variance_test(a, c, {}), 1);
    count("pearson", pearson_test(a, c, {}), 0);
    count("anova", analysis_of_variance({a, c, normal_sample(random, 9)}), NAN);
    count("normality", normality_test(b), NAN);
    count("spearman", spearman_test(a, c, {}), 0);
    const Distribution z(DistributionKind::normal, {0, 1});
    count("one", distribution_test(a, [&](double x) { return z.cumulative(x); }), NAN);
    // Discrete statistics reject at most so often.
    const auto rank = rank_test(a, c, {});
    CHECK_FALSE((rank.p <= 0.05) != (rank.interval[0] > 0 || rank.interval[1] < 0));
    count("rank", rank, 0);
    count("signed", signed_rank_test(a, {}), 0);
    count("kendall", kendall_test(a, c, {}), 0);
    count("two", distribution_test(a, c), NAN);
  }
  for (const auto& [name, times] : rejected) {
    CAPTURE(name, times / trials, covered[name] / trials);
    CHECK(times / trials < most);
    const bool is_discrete = name == "rank" || name == "signed" || name == "kendall" || name == "two";
    CHECK(times / trials > (is_discrete ? 0.015 : least - 0.005));
    CHECK(covered[name] / trials > 0.95 - 4 * std::sqrt(0.05 * 0.95 / trials) - 0.01);
  }
}

TEST_CASE("p values are adjusted as published") {
  CHECK(holm_adjusted({0.01, 0.04, 0.03}) == std::vector<double>{0.03, 0.06, 0.06});
  const auto q = false_discovery_adjusted({0.01, 0.02, 0.03, 0.04, 0.5});
  CHECK(q[0] == Approx(0.05));
  CHECK(q[3] == Approx(0.05));
  CHECK(q[4] == Approx(0.5));
}

TEST_CASE("intervals of draws correct bias and skewness") {
  // Draws that are normal around the value: both intervals are those of the quantiles.
  const Distribution z(DistributionKind::normal, {5, 2});
  std::vector<double> draws, left;
  for (int k = 1; k < 10000; ++k) draws.push_back(z.quantile(k / 10000.0));
  for (int k = 0; k < 20; ++k) left.push_back(k);
  const auto plain = percentile_interval(draws, 0.95), corrected = corrected_interval(draws, 5, left, 0.95);
  CHECK(plain[0] == Approx(z.quantile(0.025)).epsilon(1e-2));
  CHECK(corrected[0] == Approx(plain[0]).epsilon(1e-2));
  CHECK(corrected[1] == Approx(plain[1]).epsilon(1e-3));
  // A value above most draws moves the interval up.
  CHECK(corrected_interval(draws, 6, left, 0.95)[0] > plain[0] + 0.5);
  CHECK(corrected_interval({1, 1, 1}, 1, {1, 1}, 0.95)[0] == 1);
}

TEST_CASE("what tests refuse") {
  CHECK(message_of([] { t_test({1}, 0, {}); }) == "a t test needs at least 2 elements, not 1");
  CHECK(message_of([] { independence_test({{1, 0}, {2, 0}}); }) == "column 2 of the table has only zeros");
  CHECK(message_of([] {
          chi_squared_test({1, -2}, {1, 1});
        }) == "observed counts must be finite numbers from 0, not -2");
  CHECK(message_of([] { normality_test({1, 1, 1}); }) == "a normality test needs different elements");
  CHECK(message_of([] {
          signed_rank_test({0, 0}, {});
        }) == "a signed rank test needs differences other than 0");
  CHECK(message_of([] {
          kendall_test({1, 1, 1}, {1, 2, 3}, {});
        }) == "a test of correlation needs different values in both variables");
}
