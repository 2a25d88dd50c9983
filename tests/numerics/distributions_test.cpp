// Distributions against closed forms, and draws and fits against the distributions.
#include "numerics/distributions.h"

#include <catch2/catch.hpp>
#include <cmath>

#include "numerics/helpers.h"
#include "numerics/hypothesis.h"
#include "numerics/quantile_comparison.h"
#include "support/effort.h"

using namespace quill;
using namespace quill::test;
using D = DistributionKind;

namespace {

struct Case {
  DistributionKind kind;
  std::vector<double> parameters;
};
const std::vector<Case> kCases = {
    {D::normal, {0, 1}},     {D::normal, {3, 2e-12}}, {D::student_t, {1}},      {D::student_t, {2.5}},
    {D::student_t, {40}},    {D::chi_squared, {1}},   {D::chi_squared, {7}},    {D::f, {2, 9}},
    {D::f, {5, 3}},          {D::uniform, {-2, 6}},   {D::exponential, {1e12}}, {D::gamma, {0.4, 2}},
    {D::gamma, {30, 1e-12}}, {D::beta, {0.5, 0.5}},   {D::beta, {2, 7}},        {D::log_normal, {1, 0.5}},
    {D::weibull, {0.7, 3}},  {D::weibull, {4, 1e12}},
};
const std::vector<Case> kCounts = {
    {D::poisson, {0.3}}, {D::poisson, {40}}, {D::binomial, {12, 0.3}}, {D::binomial, {1000, 0.9}}};

double relative(double got, double wanted) { return std::fabs(got / wanted - 1); }

}  // namespace

TEST_CASE("probabilities in both tails are those of closed forms to 1e-12") {
  for (const double q : {0.9, 0.5, 0.01, 1e-5, 1e-20, 1e-100, 1e-290}) {
    const double x = -std::log(q);
    CAPTURE(q);
    CHECK(relative(Distribution(D::exponential, {1}).survival(x), std::exp(-x)) < 1e-12);
    CHECK(relative(Distribution(D::chi_squared, {4}).survival(2 * x), std::exp(-x) * (1 + x)) < 1e-12);
    CHECK(relative(Distribution(D::gamma, {3, 2}).survival(2 * x), std::exp(-x) * (1 + x + x * x / 2)) <
          1e-12);
    CHECK(relative(Distribution(D::weibull, {2, 1}).survival(std::sqrt(x)), std::exp(-x)) < 2e-12);
    const double far = std::pow(q, -1.0 / 3);
    CHECK(relative(Distribution(D::student_t, {1}).survival(far), std::atan(1 / far) / M_PI) < 1e-12);
    const double root = std::sqrt(2 + far * far);
    CHECK(relative(Distribution(D::student_t, {2}).survival(far), 1 / (root * (root + far))) < 1e-12);
    CHECK(relative(Distribution(D::f, {2, 6}).survival(far), std::pow(1 + far / 3, -3)) < 1e-12);
    const double low = std::pow(q, 1.0 / 3);
    CHECK(relative(Distribution(D::beta, {3, 1}).cumulative(low), low * low * low) < 1e-12);
    CHECK(relative(Distribution(D::exponential, {2}).cumulative(q), -std::expm1(-q / 2)) < 1e-12);
  }
  for (double x = -37; x <= 37; x += 0.5) {
    const auto wanted = static_cast<double>(std::erfc(static_cast<long double>(x) / std::sqrt(2.0L)) / 2);
    CHECK(relative(Distribution(D::normal, {0, 1}).survival(x), wanted) < 4e-16);
    CHECK(relative(Distribution(D::normal, {0, 1}).cumulative(-x), wanted) < 4e-16);
    CHECK(relative(Distribution(D::log_normal, {0, 1}).survival(std::exp(x)), wanted) < 1e-12);
  }
}

TEST_CASE("order statistics lie in the band of a comparison of quantiles as often as it states") {
  const Distribution d(D::gamma, {2, 3});
  RandomStream random(11);
  const int rounds = repeats(4000);
  std::vector<int> inside(3), above(3);
  const std::vector<std::size_t> ranks = {0, 9, 19};
  for (int round = 0; round < rounds; ++round) {
    std::vector<double> sample;
    for (int k = 0; k < 20; ++k) sample.push_back(d.draw(random));
    const auto c = compare_quantiles(sample, d, 0.9);
    REQUIRE(c.at.size() == 20);
    for (std::size_t i = 0; i < ranks.size(); ++i) {
      const auto k = ranks[i];
      CHECK(c.at[k] == c.expected[k]);
      inside[i] += c.seen[k] >= c.low[k] && c.seen[k] <= c.high[k];
      above[i] += c.seen[k] > c.expected[k];
    }
  }
  for (std::size_t i = 0; i < ranks.size(); ++i) {
    // Four standard errors of 0.9 and of 0.5.
    CHECK(std::fabs(inside[i] / static_cast<double>(rounds) - 0.9) < 4 * std::sqrt(0.09 / rounds));
    CHECK(std::fabs(above[i] / static_cast<double>(rounds) - 0.5) < 4 * std::sqrt(0.25 / rounds) + 0.005);
  }
  // Long samples: places from end to end, mirrored, and bands in both tails.
  std::vector<double> symmetric;
  const Distribution z(D::normal, {0, 1});
  for (int k = 1; k <= 50001; ++k) symmetric.push_back(z.quantile(k / 50002.0));
  const auto c = compare_quantiles(symmetric, z, 0.95);
  CHECK(c.at.size() < 400);
  CHECK(std::is_sorted(c.at.begin(), c.at.end()));
  for (std::size_t k = 0; k < c.at.size(); ++k) {
    CHECK(c.low[k] == Approx(-c.high[c.at.size() - 1 - k]).margin(1e-12));
    CHECK(c.low[k] < c.high[k]);
  }
  const auto same = compare_quantiles(symmetric, std::vector<double>{3, 1, 2});
  CHECK(same.expected == std::vector<double>{1, 2, 3});
  CHECK(same.seen == std::vector<double>{symmetric.front(), symmetric[25000], symmetric.back()});
}

TEST_CASE("quantiles are the inverses of the probabilities in both tails, down to 1e-300") {
  const auto far_from = [](const Distribution& d, double x, double p, bool is_upper) {
    const double at = is_upper ? d.survival(x) : d.cumulative(x);
    // As much as the spacing of numbers around x allows.
    const double slack = 1e-12 + 4e-16 * std::fabs(x * d.density(x) / at);
    return std::fabs(std::log(at / p)) > slack;
  };
  for (const auto& c : kCases) {
    const Distribution d(c.kind, c.parameters);
    for (const double p : {1e-300, 1e-200, 1e-100, 1e-30, 1e-12, 1e-6, 0.001, 0.1, 0.37, 0.5}) {
      CAPTURE(family_of(c.kind).name, c.parameters, std::log10(p));
      const double low = d.quantile(p), high = d.upper_quantile(p);
      // Where the quantile is held apart from an end of the support.
      const bool is_low_held = c.kind != D::normal || c.parameters[0] == 0;
      if (is_low_held && low != 0 && c.kind != D::uniform) CHECK_FALSE(far_from(d, low, p, false));
      if (is_low_held && std::isfinite(high) && c.kind != D::uniform && c.kind != D::beta)
        CHECK_FALSE(far_from(d, high, p, true));
    }
    CHECK(d.quantile(0) == (c.kind == D::normal || c.kind == D::student_t ? -INFINITY
                            : c.kind == D::uniform                        ? -2
                                                                          : 0));
    CHECK(std::isnan(d.quantile(1.5)));
    CHECK(std::isnan(d.cumulative(NAN)));
  }
}

TEST_CASE("densities are the slopes of the probabilities, and their logarithms agree") {
  for (const auto& c : kCases) {
    const Distribution d(c.kind, c.parameters);
    for (const double p : {0.01, 0.2, 0.5, 0.8, 0.99}) {
      const double x = d.quantile(p);
      // A small step beside the way to the ends of the support.
      const double h = 1e-5 * (c.kind == D::beta ? std::min(x, 1 - x) : std::fabs(x) + (x == 0));
      CAPTURE(family_of(c.kind).name, c.parameters, p, x);
      if (c.kind == D::normal && c.parameters[0] != 0) continue;  // hardly any numbers lie there
      CHECK(d.density(x) == Approx((d.cumulative(x + h) - d.cumulative(x - h)) / (2 * h)).epsilon(2e-5));
      CHECK(d.log_density(x) == Approx(std::log(d.density(x))).epsilon(1e-11).margin(1e-12));
    }
    CHECK(d.cumulative(-INFINITY) == 0);
    CHECK(d.cumulative(INFINITY) == 1);
    CHECK(d.survival(INFINITY) == 0);
  }
}

TEST_CASE(
    "counts have the probabilities of their sums, and the smallest quantile that reaches a probability") {
  for (const auto& c : kCounts) {
    const Distribution d(c.kind, c.parameters);
    double sum = 0, mean = 0;
    for (double k = 0; k < 1200; ++k) {
      const double p = d.density(k);
      if (c.kind == D::binomial && k > c.parameters[0]) CHECK(p == 0);
      sum += p;
      mean += k * p;
      if (p > 1e-300) CHECK(d.log_density(k) == Approx(std::log(p)).epsilon(1e-10).margin(1e-12));
      CHECK(d.cumulative(k) == Approx(sum).epsilon(1e-11));
      CHECK(d.cumulative(k + 0.5) == d.cumulative(k));
    }
    CHECK(mean == Approx(d.mean()).epsilon(1e-11));
    for (const double p : {1e-10, 0.001, 0.3, 0.5, 0.9, 0.9999}) {
      const double k = d.quantile(p);
      CAPTURE(family_of(c.kind).name, p, k);
      CHECK(d.cumulative(k) >= p * (1 - 1e-13));
      if (k > 0) CHECK(d.cumulative(k - 1) < p);
      const double u = d.upper_quantile(p);
      CHECK(d.survival(u) <= p * (1 + 1e-13));
      if (u > 0) CHECK(d.survival(u - 1) > p);
    }
    CHECK(d.density(1.5) == 0);
    CHECK(d.density(-1) == 0);
  }
}

TEST_CASE("draws follow their distribution") {
  RandomStream random(11);
  for (const auto& c : kCases) {
    const Distribution d(c.kind, c.parameters);
    const auto draws = d.draw(random, {20000}).to_vector<double>();
    CAPTURE(family_of(c.kind).name, c.parameters);
    const bool is_narrow = c.kind == D::normal && c.parameters[0] != 0;
    if (!is_narrow) CHECK(distribution_test(draws, [&](double x) { return d.cumulative(x); }).p > 1e-3);
  }
  for (const auto& c : kCounts) {
    const Distribution d(c.kind, c.parameters);
    const auto draws = d.draw(random, {40000}).to_vector<double>();
    double mean = 0, square = 0;
    for (const double x : draws) mean += x / 40000, square += x * x / 40000;
    CAPTURE(family_of(c.kind).name, c.parameters);
    CHECK(mean == Approx(d.mean()).margin(5 * d.std() / 200));
    CHECK(std::sqrt(square - mean * mean) == Approx(d.std()).epsilon(0.05));
  }
  CHECK(Distribution(D::binomial, {0, 0.5}).draw(random) == 0);
  CHECK(Distribution(D::binomial, {7, 1}).draw(random) == 7);
  CHECK(Distribution(D::beta, {1e-4, 1e-4}).draw(random, {500}).to_vector<double>()[3] >= 0);
}

TEST_CASE("fits find the parameters with the errors that they state, at every scale") {
  const std::vector<Case> cases = {
      {D::normal, {2, 3}},   {D::log_normal, {1, 0.4}}, {D::exponential, {5}},  {D::gamma, {2.5, 3}},
      {D::gamma, {0.6, 1}},  {D::beta, {2, 5}},         {D::weibull, {1.7, 4}}, {D::poisson, {6}},
      {D::chi_squared, {5}}, {D::student_t, {4}},       {D::f, {6, 12}},        {D::binomial, {20, 0.3}}};
  RandomStream random(5);
  const int samples = repeats(120), n = 400;
  for (const auto& c : cases) {
    const Distribution d(c.kind, c.parameters);
    const auto count = c.parameters.size();
    std::vector<double> inside(count);
    for (int k = 0; k < samples; ++k) {
      const auto fit = fit_distribution(c.kind, d.draw(random, {n}).to_vector<double>(), 20);
      for (std::size_t j = 0; j < count; ++j)
        inside[j] += std::fabs(fit.parameters[j] - c.parameters[j]) <= 1.96 * fit.standard_errors[j];
      // No parameters nearby are more likely.
      CHECK(std::isfinite(fit.log_likelihood));
    }
    for (std::size_t j = 0; j < count; ++j) {
      CAPTURE(family_of(c.kind).name, j, inside[j] / samples);
      CHECK(inside[j] / samples > 0.92 - 4 * std::sqrt(0.05 * 0.95 / samples));
    }
  }
  // Scaled data give scaled parameters.
  for (const auto kind : {D::gamma, D::weibull, D::exponential, D::normal}) {
    const auto data = Distribution(kind, kind == D::normal || kind == D::exponential
                                             ? std::vector<double>(kind == D::normal ? 2 : 1, 1)
                                             : std::vector<double>{2, 1})
                          .draw(random, {300})
                          .to_vector<double>();
    const auto fit = fit_distribution(kind, data, 0);
    for (const double scale : {1e-12, 1e12}) {
      auto scaled = data;
      for (double& x : scaled) x *= scale;
      const auto other = fit_distribution(kind, scaled, 0);
      CAPTURE(family_of(kind).name, scale);
      CHECK(other.parameters.back() == Approx(scale * fit.parameters.back()).epsilon(1e-7));
      CHECK(other.standard_errors.back() == Approx(scale * fit.standard_errors.back()).epsilon(1e-4));
      if (kind == D::gamma || kind == D::weibull)
        CHECK(other.parameters[0] == Approx(fit.parameters[0]).epsilon(1e-7));
    }
  }
}

TEST_CASE("what distributions and their fits refuse") {
  CHECK(message_of([] {
          Distribution(D::normal, {0, 0});
        }) == "`std` of the distribution \"normal\" must be positive, not 0");
  CHECK(message_of([] {
          Distribution(D::uniform, {2, 1});
        }) == "`high` of the distribution \"uniform\" must be greater than `low`, not 1");
  CHECK(message_of([] {
          Distribution(D::binomial, {2.5, 0.1});
        }) == "`count` of the distribution \"binomial\" must be an integer from 0 to 1e15, not 2.5");
  CHECK(message_of([] {
          fit_distribution(D::gamma, {1, -2, 3}, 0);
        }) == "element 2 of the data is -2, which \"gamma\" cannot produce: it must be positive");
  CHECK(message_of([] {
          fit_distribution(D::gamma, {2, 2, 2}, 0);
        }) == "the likelihood of \"gamma\" has no maximum: all data are 2");
  CHECK(message_of([] { fit_distribution(D::normal, {2}, 0); }) == "a fit needs at least 2 data, not 1");
}

TEST_CASE("many random integers are those that are drawn one by one, in every range") {
  RandomStream ranges(1);
  for (int k = 0; k < 300; ++k) {
    const double high = std::floor(std::exp(ranges.uniform() * 36)),
                 low = -std::floor(high * ranges.uniform());
    RandomStream many(static_cast<std::uint64_t>(k)), single(static_cast<std::uint64_t>(k));
    const auto all = many.whole(low, high, {50});
    for (Index j = 0; j < 50; ++j) REQUIRE(all.at<Index>({j}) == *single.whole(low, high));
    CHECK(many == single);
  }
}

TEST_CASE("counts and shapes without bound have the probabilities and quantiles of their normal limit") {
  for (const double mean : {3e8, 1e11, 1e15}) {
    const double root = std::sqrt(mean);
    for (const auto& [d, spread] : {std::pair{Distribution(D::poisson, {mean}), root},
                                    std::pair{Distribution(D::gamma, {mean, 1}), root},
                                    std::pair{Distribution(D::chi_squared, {mean}), std::sqrt(2.0) * root},
                                    std::pair{Distribution(D::binomial, {mean, 0.5}), root / 2}}) {
      CAPTURE(mean, static_cast<int>(d.kind()));
      const Distribution z(D::normal, {0, 1});
      const double middle = d.kind() == D::binomial ? mean / 2 : mean;
      // The skewness, and half a count, shift probabilities by less than this.
      const double near = 3 / spread;
      for (const double p : {1e-6, 0.1, 0.5, 0.9}) {
        const double x = d.quantile(p), wanted = z.quantile(p);
        CHECK((x - middle) / spread == Approx(wanted).margin(20 * near));
        CHECK(d.cumulative(x) == Approx(p).epsilon(20 * near));
        CHECK(d.survival(d.upper_quantile(p)) == Approx(p).epsilon(20 * near));
        if (d.is_discrete()) {
          CHECK(d.cumulative(x) >= p);
          CHECK(d.cumulative(x - 1) < p);
        }
      }
    }
  }
}

TEST_CASE("logarithms of densities keep their digits for large parameters, also where densities vanish") {
  for (const double mean : {1e7, 1e10, 1e14}) {
    CAPTURE(mean);
    const double log_root = 0.5 * std::log(2 * M_PI * mean);
    CHECK(Distribution(D::poisson, {mean}).log_density(mean) == Approx(-log_root).epsilon(1e-8));
    CHECK(Distribution(D::gamma, {mean, 3}).log_density(3 * mean) ==
          Approx(-log_root - std::log(3)).epsilon(1e-7));
    CHECK(Distribution(D::chi_squared, {2 * mean}).log_density(2 * mean) ==
          Approx(-log_root - std::log(2)).epsilon(1e-7));
    // 60 deviations away: -z²/2 + z³/(6 √mean) for counts, beside the logarithm of the root.
    const double z = 60, at = std::floor(mean + z * std::sqrt(mean)), off = (at - mean) / std::sqrt(mean);
    CHECK(Distribution(D::poisson, {mean}).log_density(at) ==
          Approx(-log_root - off * off / 2 + off * off * off / (6 * std::sqrt(mean))).epsilon(2e-3));
  }
}
