// Hypothesis tests.
#include "numerics/hypothesis.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "builtins/choices.h"
#include "builtins/columns.h"
#include "builtins/context.h"
#include "builtins/distributions.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "value/runtime.h"

namespace quill {

namespace hypothesis_calls {
namespace {

constexpr std::string_view kFamily = "statistics";
constexpr std::string_view kTest =
    "a record: statistic, p, degrees_of_freedom, estimate, interval, effect, method; none where the test has "
    "no "
    "such value";

Value or_none(double x) { return std::isnan(x) ? Value::none() : Value(x); }

Value result_of(const TestResult& r) {
  Value degrees = Value::none();
  if (r.degrees_of_freedom.size() == 1) degrees = Value(r.degrees_of_freedom[0]);
  if (r.degrees_of_freedom.size() > 1) degrees = Value::array(Array::vector(r.degrees_of_freedom));
  const bool has_interval = !std::isnan(r.interval[0]) && !std::isnan(r.interval[1]);
  return Value::record(
      {{"statistic", Value(r.statistic)},
       {"p", Value(r.p)},
       {"degrees_of_freedom", std::move(degrees)},
       {"estimate", or_none(r.estimate)},
       {"interval",
        has_interval ? Value::array(Array::vector({r.interval[0], r.interval[1]})) : Value::none()},
       {"effect", or_none(r.effect)},
       {"method", Value::text(r.method)}});
}

bool is_absent(const Call& call, std::size_t i) { return !call.given(i) || call.value(i).is(Kind::none); }

TestOptions options_of(const Call& call, std::size_t alternative, std::size_t confidence) {
  const auto word = call.one_of(alternative);
  return {word == "less"      ? Alternative::less
          : word == "greater" ? Alternative::greater
                              : Alternative::two_sided,
          confidence_argument(call, confidence)};
}

// Without spread in the data, p is nan or a limit.
Value checked(const Call& call, const TestResult& r) {
  if (std::isnan(r.statistic) || std::isnan(r.p))
    call.warn("the samples have no variance: the statistic is not defined");
  return result_of(r);
}

Value t_test_row(Call& call) {
  enum : std::size_t { kA, kB, kPaired, kEqual, kMean, kAlternative, kConfidence, kSkip };
  const auto o = options_of(call, kAlternative, kConfidence);
  const bool skip = call.boolean_or(kSkip, false), paired = call.boolean_or(kPaired, false);
  if (is_absent(call, kB)) {
    if (paired) call.fail_argument(kPaired, "requires a second sample");
    return checked(call, t_test(sample_argument(call, kA, skip), call.number_or(kMean, 0), o));
  }
  if (paired) {
    auto [a, b] = pairs_argument(call, kA, kB, skip);
    for (std::size_t k = 0; k < a.size(); ++k) a[k] -= b[k];
    auto r = t_test(a, call.number_or(kMean, 0), o);
    r.method = "t test of pairs";
    return checked(call, r);
  }
  if (call.given(kMean)) call.fail_argument(kMean, "is for one sample, or for pairs");
  return checked(call, t_test(sample_argument(call, kA, skip), sample_argument(call, kB, skip),
                              call.boolean_or(kEqual, false), o));
}

Value rank_test_row(Call& call) {
  const bool skip = call.boolean_or(4, false);
  return result_of(
      rank_test(sample_argument(call, 0, skip), sample_argument(call, 1, skip), options_of(call, 2, 3)));
}

Value signed_rank_row(Call& call) {
  const bool skip = call.boolean_or(4, false);
  const auto o = options_of(call, 2, 3);
  if (is_absent(call, 1)) return result_of(signed_rank_test(sample_argument(call, 0, skip), o));
  auto [a, b] = pairs_argument(call, 0, 1, skip);
  for (std::size_t k = 0; k < a.size(); ++k) a[k] -= b[k];
  return result_of(signed_rank_test(a, o));
}

void warn_few(const Call& call, double least) {
  constexpr double few = 5;
  if (least < few)
    call.warn(fmt::format("the smallest expected count is {}: below 5 the p value is not reliable",
                          shortest(std::round(least * 100) / 100)),
              "join rare classes");
}

Value chi_squared_row(Call& call) {
  const auto observed = call.reals(0);
  if (observed.axes() == 2) {
    if (!is_absent(call, 1))
      call.fail_argument(1, "is for a vector of counts; of a table, independence is tested");
    std::vector<Sample> rows;
    const auto all = observed.to_vector<double>();
    const auto width = static_cast<std::size_t>(observed.extent(1));
    for (std::size_t r = 0; r < static_cast<std::size_t>(observed.extent(0)); ++r)
      rows.emplace_back(all.begin() + static_cast<Index>(r * width),
                        all.begin() + static_cast<Index>((r + 1) * width));
    const auto result = independence_test(rows);
    if (!result.method.starts_with("exact")) warn_few(call, smallest_expected(rows));
    return result_of(result);
  }
  const auto counts = sample_argument(call, 0, false);
  Sample expected(counts.size(), 1);
  if (!is_absent(call, 1)) expected = pairs_argument(call, 0, 1, false).second;
  const auto result = chi_squared_test(counts, expected);
  double n = 0, m = 0;
  for (std::size_t k = 0; k < counts.size(); ++k) n += counts[k], m += expected[k];
  warn_few(call, *std::min_element(expected.begin(), expected.end()) * n / m);
  return result_of(result);
}

Value variance_row(Call& call) {
  const bool skip = call.boolean_or(4, false);
  return checked(call, variance_test(sample_argument(call, 0, skip), sample_argument(call, 1, skip),
                                     options_of(call, 2, 3)));
}

// Values of each group, in ascending order of groups; `skip` omits nan values.
std::vector<Sample> samples_by(const Call& call, std::size_t values, std::size_t groups, bool skip) {
  const auto given = call.vector(values).to_vector<double>();
  const auto names = call.array(groups);
  if (names.axes() != 1 || names.size() != static_cast<Index>(given.size()))
    call.fail_argument(
        groups, fmt::format("must be a vector with one group for each of the {} values", given.size()));
  const auto ranks = distinct_ranks(names);
  std::vector<Sample> samples(static_cast<std::size_t>(ranks.count));
  for (std::size_t k = 0; k < given.size(); ++k) {
    if (skip && std::isnan(given[k])) continue;
    if (!std::isfinite(given[k]))
      call.fail_argument(values, fmt::format("contains {} at position {}", shortest(given[k]), k + 1),
                         std::isnan(given[k]) ? "skip_nan: true leaves nan elements out" : "");
    samples[static_cast<std::size_t>(ranks.of[k])].push_back(given[k]);
  }
  std::erase_if(samples, [](const Sample& s) { return s.empty(); });
  return samples;
}

Value anova_row(Call& call) {
  const auto samples = samples_by(call, 0, 1, call.boolean_or(2, false));
  return checked(call, analysis_of_variance(samples));
}

Value distribution_test_row(Call& call) {
  const bool skip = call.boolean_or(2, false);
  auto data = sample_argument(call, 0, skip);
  if (const auto* d = distribution_in(call.value(1))) {
    if (d->is_discrete())
      call.fail_argument(1, "must be a continuous distribution", "chi_squared_test compares counts");
    return result_of(distribution_test(std::move(data), [d](double x) { return d->cumulative(x); }));
  }
  if (call.value(1).is_callable()) {
    const Value& f = call.callable(1);
    return result_of(distribution_test(std::move(data), [&](double x) {
      const Value argument[] = {Value(x)};
      const auto p = single_real(call.runtime.call(f, argument));
      if (!p) call.fail_argument(1, "must return a single number");
      return *p;
    }));
  }
  return result_of(distribution_test(std::move(data), sample_argument(call, 1, skip)));
}

Value normality_row(Call& call) {
  return result_of(normality_test(sample_argument(call, 0, call.boolean_or(1, false))));
}

Value correlation_test_row(Call& call) {
  const auto [x, y] = pairs_argument(call, 0, 1, call.boolean_or(5, false));
  const auto o = options_of(call, 3, 4);
  const auto method = call.one_of(2);
  if (method == "spearman") return result_of(spearman_test(x, y, o));
  if (method == "kendall") return result_of(kendall_test(x, y, o));
  return checked(call, pearson_test(x, y, o));
}

Value adjust_row(Call& call) {
  const auto p = sample_argument(call, 0, false);
  for (std::size_t k = 0; k < p.size(); ++k)
    if (!(p[k] >= 0 && p[k] <= 1))
      call.fail_argument(
          0, fmt::format("must be probabilities from 0 to 1; element {} is {}", k + 1, shortest(p[k])));
  return Value::array(
      Array::vector(call.one_of(1) == "holm" ? holm_adjusted(p) : false_discovery_adjusted(p)));
}

Value ranks_row(Call& call) {
  const auto v = call.vector(0).to_vector<double>();
  for (std::size_t k = 0; k < v.size(); ++k)
    if (std::isnan(v[k])) call.fail_argument(0, fmt::format("contains nan at position {}", k + 1));
  return Value::array(Array::vector(ranks_of(v)));
}

Parameter skip_nan() { return {"skip_nan", "whether nan elements are left out (of pairs, both)", "false"}; }
Parameter alternative() {
  return one_of(
      {"alternative",
       "\"two_sided\"; \"less\" or \"greater\": whether the first is less or greater than the second",
       "\"two_sided\""},
      choices::kAlternatives);
}
Parameter confidence() { return {"confidence", "confidence level of the interval", "0.95"}; }

Builtin test_row(std::string_view name, std::string_view summary, std::vector<Parameter> parameters,
                 std::string_view source, std::string_view example, std::string_view output,
                 Value (*run)(Call&)) {
  Builtin b{};
  b.name = name;
  b.family = kFamily;
  b.summary = summary;
  b.parameters = std::move(parameters);
  b.returns = kTest;
  b.errors = "if a sample is too small; if data are nan or infinite";
  b.source = source;
  b.example = example;
  b.output = output;
  b.run = run;
  return b;
}

}  // namespace
}  // namespace hypothesis_calls

std::vector<Builtin> hypothesis_rows() {
  using namespace hypothesis_calls;
  const Parameter a = {"a", "vector, the first sample", ""}, b = {"b", "vector, the second sample", ""};
  const Parameter data = {"data", "vector of real numbers", ""};
  const Parameter x = {"x", "a vector", ""}, y = {"y", "vector of the same length", ""};
  std::vector<Builtin> rows = {
      test_row("t_test",
               "Test the mean of a sample, or the difference of the means of two samples; the effect is "
               "Cohen's d.",
               {a,
                {"b", "second sample; none: one sample against `mean`", "none"},
                {"paired", "whether a and b are pairs", "false"},
                {"equal_variances", "whether both samples have the same variance; otherwise Welch's test",
                 "false"},
                {"mean", "of one sample or of differences of pairs: the mean under the hypothesis", "0"},
                alternative(),
                confidence(),
                skip_nan()},
               "B. L. Welch, Biometrika 34, 1947", "t_test([5.1, 4.9, 5.6, 5.8], [4.2, 4.4, 4.0, 4.6]).p",
               "t_test([5.1, 4.9, 5.6, 5.8], [4.2, 4.4, 4.0, 4.6]).p = 0.0081016", t_test_row),
      test_row(
          "rank_test",
          "Test whether one of two samples has larger values, by ranks (Mann–Whitney); the effect is the "
          "probability that an element of a exceeds one of b.",
          {a, b, alternative(), confidence(), skip_nan()},
          "H. B. Mann, D. R. Whitney, Ann. Math. Stat. 18, 1947; exact up to 100 elements; estimate and "
          "interval "
          "of the shift: J. L. Hodges, E. L. Lehmann, 1963",
          "rank_test([5.1, 4.9, 5.6, 5.8], [4.2, 4.4, 4.0, 4.6]).p",
          "rank_test([5.1, 4.9, 5.6, 5.8], [4.2, 4.4, 4.0, 4.6]).p = 0.028571", rank_test_row),
      test_row(
          "signed_rank_test",
          "Test whether differences, or pairs, have the median 0 (Wilcoxon); differences of 0 are left out.",
          {{"a", "vector of differences, or the first sample", ""},
           {"b", "second sample; none: a has differences", "none"},
           alternative(),
           confidence(),
           skip_nan()},
          "F. Wilcoxon, Biometrics 1, 1945; exact up to 200 differences",
          "signed_rank_test([1, 2, 3, 4, -5, 6]).p", "signed_rank_test([1, 2, 3, 4, -5, 6]).p = 0.3125",
          signed_rank_row),
      test_row("chi_squared_test",
               "Test counts against expected counts, or the independence of rows and columns of a table of "
               "counts.",
               {{"observed", "vector of counts, or a matrix", ""},
                {"expected", "vector of expected counts or proportions; none: equal ones", "none"}},
               "K. Pearson, 1900; tables of 2×2 with an expected count below 5: R. A. Fisher's exact test",
               "chi_squared_test([20, 30, 50], expected: [1, 1, 2]).p",
               "chi_squared_test([20, 30, 50], expected: [1, 1, 2]).p = 0.36788", chi_squared_row),
      test_row("variance_test", "Test whether two samples have the same variance (F test).",
               {a, b, alternative(), confidence(), skip_nan()}, "quotient of the variances",
               "variance_test([1, 5, 9, 3], [2, 3, 2, 3]).p",
               "variance_test([1, 5, 9, 3], [2, 3, 2, 3]).p = 0.015587", variance_row),
      test_row(
          "anova", "Test whether groups have the same mean (one-way analysis of variance); the effect is η².",
          {{"values", "a vector", ""}, {"groups", "vector with the group of each value", ""}, skip_nan()},
          "R. A. Fisher, 1925",
          "values = [1, 2, 3, 2, 3, 4, 5, 6, 7]\nanova(values, [1, 1, 1, 2, 2, 2, 3, 3, 3]).p",
          "anova(values, [1, 1, 1, 2, 2, 2, 3, 3, 3]).p = 0.0065918", anova_row),
      test_row("distribution_test",
               "Test whether data follow a continuous distribution, or two samples the same one "
               "(Kolmogorov–Smirnov).",
               {data,
                {"reference",
                 "distribution, cumulative function fn(x), or second sample; not fitted to the data", ""},
                skip_nan()},
               "G. Marsaglia, W. W. Tsang, J. Wang, J. Stat. Softw. 8, 2003; two samples: J. L. Hodges, 1958",
               "distribution_test([0.1, 0.3, 0.5, 0.9], distribution(\"uniform\")).p",
               "distribution_test([0.1, 0.3, 0.5, 0.9], distribution(\"uniform\")).p = 0.90625",
               distribution_test_row),
      test_row("normality_test",
               "Test whether data are normally distributed (Shapiro–Wilk); 3 to 5000 elements.",
               {data, skip_nan()},
               "S. S. Shapiro, M. B. Wilk, Biometrika 52, 1965; P. Royston, Appl. Stat. 44, 1995",
               "normality_test([148, 154, 158, 160, 161, 162, 195, 236]).p < 0.05",
               "normality_test([148, 154, 158, 160, 161, 162, 195, 236]).p < 0.05 = true", normality_row),
      test_row(
          "correlation_test", "Test whether two variables are correlated; the estimate is the coefficient.",
          {x, y,
           one_of({"method", "\"pearson\", \"spearman\" (ranks) or \"kendall\" (τ-b)", "\"pearson\""},
                  choices::kCorrelations),
           alternative(), confidence(), skip_nan()},
          "intervals by R. A. Fisher's z; exact for ranks of few pairs",
          "correlation_test(1..5, [2, 1, 4, 3, 5], method: \"kendall\").p",
          "correlation_test(1..5, [2, 1, 4, 3, 5], method: \"kendall\").p = 0.23333", correlation_test_row),
  };
  rows.push_back({
      .name = "adjust_p",
      .family = kFamily,
      .summary = "Adjust p values of several tests.",
      .parameters =
          {{"p", "vector of p values", ""},
           one_of({"method",
                   "\"holm\" (probability of any false finding) or \"benjamini_hochberg\" (share of false "
                   "findings)",
                   "\"holm\""},
                  choices::kAdjustments)},
      .returns = "vector of adjusted p values, in the order of p",
      .errors = "if p is not from 0 to 1",
      .source = "S. Holm, Scand. J. Stat. 6, 1979; Y. Benjamini, Y. Hochberg, J. R. Stat. Soc. B 57, 1995",
      .example = "adjust_p([0.01, 0.04, 0.03])",
      .output = "adjust_p([0.01, 0.04, 0.03]) : float64 3\n  0.03  0.06  0.06",
      .run = adjust_row,
  });
  rows.push_back({
      .name = "ranks",
      .family = kFamily,
      .summary = "Ranks from 1; equal elements share the mean of their ranks.",
      .parameters = {{"v", "vector of real numbers", ""}},
      .returns = "a vector",
      .errors = "if an element is nan",
      .example = "ranks([30, 10, 20, 10])",
      .output = "ranks([30, 10, 20, 10]) : float64 4\n  4.0  1.5  3.0  1.5",
      .run = ranks_row,
  });
  return rows;
}

}  // namespace quill
