// Series of values at times.
#include "numerics/series.h"

#include <fmt/format.h>

#include <cmath>

#include "base/text.h"
#include "base/time_format.h"
#include "base/time_text.h"
#include "builtins/arguments.h"
#include "builtins/choices.h"
#include "builtins/sample_argument.h"
#include "builtins/tables.h"
#include "value/runtime.h"

namespace quill {

namespace series_calls {
namespace {

constexpr std::string_view kFamily = "time series";

// A duration: a text, or seconds. Months and years only where `months` is accepted.
TimeStep step_argument(const Call& call, std::size_t i, bool months) {
  const auto& given = call.value(i);
  if (given.is(Kind::text)) {
    if (const auto seconds = parse_duration(given.text())) return {*seconds, 0};
    if (const auto count = parse_months(given.text()); count && months) return {0, *count};
    call.fail_argument(i, fmt::format("must be a duration, not \"{}\"", printable(given.text())),
                       months
                           ? "\"15 min\", \"6 h\", \"1 d\", \"2 weeks\", \"1 month\", \"1 year\", or seconds"
                           : "\"15 min\", \"6 h\", \"1 d\", \"2 weeks\", or seconds");
  }
  const double seconds = call.number(i);
  if (!(seconds > 0) || std::isinf(seconds)) call.fail_argument(i, "must be a positive duration");
  return {seconds, 0};
}

struct Series {
  std::vector<double> times, values;
  LabelPtr of_times, of_values;
  Array as_times(const std::vector<double>& seconds) const {
    auto out = Array::vector(seconds);
    out.label = of_times;
    return out;
  }
  Array as_values(const std::vector<double>& v) const {
    auto out = Array::vector(v);
    out.label = of_values;
    return out;
  }
};

Series series_argument(const Call& call, std::size_t i) {
  Series s{call.vector(i).to_vector<double>(), call.vector(i + 1).to_vector<double>(), call.label(i),
           call.label(i + 1)};
  if (s.times.size() != s.values.size())
    call.fail_argument(i + 1, fmt::format("must have as many elements as `times`, {}; not {}", s.times.size(),
                                          s.values.size()));
  for (std::size_t k = 0; k < s.times.size(); ++k) {
    if (!std::isfinite(s.times[k]))
      call.fail_argument(i, fmt::format("contains {} at position {}", shortest(s.times[k]), k + 1));
    if (k > 0 && !(s.times[k] > s.times[k - 1]))
      call.fail_argument(i, fmt::format("must rise; element {} does not", k + 1),
                         "sort(t, by: \"time\") sorts a table");
  }
  constexpr double most = 2.5e11;
  if (!s.times.empty() && (s.times.front() < -most || s.times.back() > most))
    call.fail_argument(i, "is outside of the calendar");
  return s;
}

// f of the values of a bin as a number.
double reduced_by(const Call& call, const Value& f, const std::vector<double>& values) {
  const Value arguments[] = {Value::array(Array::vector(values))};
  const auto result = single_real(numeric_value(call.runtime.call(f, arguments)));
  if (!result) call.fail_argument(0, "must return a single number");
  return *result;
}

Value aggregate_row(Call& call) {
  const Value& f = call.callable(0);
  const auto s = series_argument(call, 1);
  const auto step = step_argument(call, 3, true);
  const double at_least = call.number_or(4, 0);
  if (!(at_least >= 0 && at_least <= 1)) call.fail_argument(4, "must be a share from 0 to 1");
  std::vector<double> times, values, counts;
  for (const auto& bin : binned_by_time(s.times, s.values, step)) {
    const auto count = static_cast<double>(bin.values.size());
    const bool is_enough = count > 0 && count >= at_least * bin.expected * (1 - 1e-9);
    times.push_back(bin.start);
    values.push_back(is_enough ? reduced_by(call, f, bin.values) : NAN);
    counts.push_back(count);
  }
  return Value::record({{"time", Value::array(s.as_times(times))},
                        {"value", Value::array(s.as_values(values))},
                        {"count", Value::array(Array::vector(counts))}});
}

Value regular_row(Call& call) {
  const auto s = series_argument(call, 0);
  const auto step = step_argument(call, 2, true);
  std::vector<double> times, values;
  if (step.months > 0) {
    for (const auto& bin : binned_by_time(s.times, s.values, step)) {
      double sum = 0;
      for (const double v : bin.values) sum += v;
      times.push_back(bin.start);
      values.push_back(bin.values.empty() ? NAN : sum / static_cast<double>(bin.values.size()));
    }
  } else {
    // Around each time of the grid, half a step to both sides.
    auto moved = s.times;
    for (double& t : moved) t += step.seconds / 2;
    for (const auto& bin : binned_by_time(moved, s.values, step)) {
      double sum = 0;
      for (const double v : bin.values) sum += v;
      times.push_back(bin.start);
      values.push_back(bin.values.empty() ? NAN : sum / static_cast<double>(bin.values.size()));
    }
  }
  return Value::record(
      {{"time", Value::array(s.as_times(times))}, {"value", Value::array(s.as_values(values))}});
}

Value fill_row(Call& call) {
  const auto s = series_argument(call, 0);
  const auto longest = step_argument(call, 2, false);
  const auto filled = gaps_filled(s.times, s.values, longest.seconds, call.one_of(3) == "previous");
  return Value::array(s.as_values(filled));
}

Value seasonal_row(Call& call) {
  const auto s = series_argument(call, 0);
  std::vector<std::vector<double>> months(12);
  const auto month_of = [](double t) { return static_cast<std::size_t>(calendar_date(t).month - 1); };
  for (std::size_t k = 0; k < s.times.size(); ++k)
    if (!std::isnan(s.values[k])) months[month_of(s.times[k])].push_back(s.values[k]);
  std::vector<double> numbers, means, stds, counts, anomalies;
  for (std::size_t m = 0; m < 12; ++m) {
    const auto n = static_cast<double>(months[m].size());
    double mean = 0, squares = 0;
    for (const double v : months[m]) mean += v / n;
    for (const double v : months[m]) squares += (v - mean) * (v - mean);
    numbers.push_back(static_cast<double>(m + 1));
    means.push_back(n > 0 ? mean : NAN);
    stds.push_back(n > 1 ? std::sqrt(squares / (n - 1)) : NAN);
    counts.push_back(n);
  }
  for (std::size_t k = 0; k < s.times.size(); ++k)
    anomalies.push_back(s.values[k] - means[month_of(s.times[k])]);
  return Value::record({{"month", Value::array(Array::vector(numbers))},
                        {"mean", Value::array(s.as_values(means))},
                        {"std", Value::array(s.as_values(stds))},
                        {"count", Value::array(Array::vector(counts))},
                        {"anomalies", Value::array(s.as_values(anomalies))}});
}

Value trend_row(Call& call) {
  const auto s = series_argument(call, 0);
  const double confidence = confidence_argument(call, 3);
  // The mean year of the Gregorian calendar.
  constexpr double year = 365.2425 * 86400;
  const bool is_time = s.of_times && has_time_label(*s.of_times);
  double per = is_time ? year : 1;
  std::string unit = is_time ? "1 year" : "1";
  if (call.given(2) && !call.value(2).is(Kind::none)) {
    const auto step = step_argument(call, 2, true);
    per = step.months > 0 ? step.months * year / 12 : step.seconds;
    unit = call.value(2).is(Kind::text) ? call.value(2).text() : shortest(per);
  }
  const auto t = trend(s.times, s.values, confidence);
  const auto interval = t.interval
                            ? Value::array(Array::vector({t.interval->first * per, t.interval->second * per}))
                            : Value::none();
  return Value::record({{"slope", Value(t.slope * per)},
                        {"per", Value::text(unit)},
                        {"interval", interval},
                        {"p", Value(t.p)},
                        {"statistic", Value(t.statistic)},
                        {"intercept", Value(t.intercept)},
                        {"correction", Value(t.correction)},
                        {"count", Value(static_cast<double>(t.count))}});
}

}  // namespace
}  // namespace series_calls

std::vector<Builtin> series_rows() {
  using namespace series_calls;
  const Parameter times = {"times", "rising vector of timestamps, or of seconds", ""};
  const Parameter values = {"values", "vector of the same length; nan elements are missing", ""};
  constexpr std::string_view errors = "if times do not rise; if the lengths differ";
  return {
      {
          .name = "aggregate",
          .family = kFamily,
          .summary = "Reduce a series by hours, days, months or any step of time.",
          .parameters =
              {called_with(1,
                           {"f", "function of a vector that returns a number, such as mean, max or sum", ""}),
               times,
               values,
               {"every",
                "step: a duration such as \"15 min\", \"6 h\", \"1 d\", \"1 month\", \"1 year\", or seconds",
                ""},
               {"at_least", "share of the expected number of values below which the result is nan", "0"}},
          .returns = "a table: time (start of each step, UTC; weeks begin on Monday), value, count (of "
                     "values that are not "
                     "nan, which f receives). Steps without values are nan",
          .errors = errors,
          .example = "t = timestamp(\"2026-06-01\") + 6*3600 * (0..7)\naggregate(mean, t, 1..8, every: \"1 "
                     "d\").value",
          .output = "aggregate(mean, t, 1..8, every: \"1 d\").value : float64 2\n  2.5  6.5",
          .run = aggregate_row,
      },
      {
          .name = "regular",
          .family = kFamily,
          .summary = "Bring a series onto equally spaced times.",
          .parameters =
              {times,
               values,
               {"every",
                "step: a duration such as \"1 h\", or seconds; months and years start at their first day",
                ""}},
          .returns = "a table: time (multiples of the step, UTC), value (mean of the values within half a "
                     "step; nan where "
                     "there are none)",
          .errors = errors,
          .example =
              "t = timestamp(\"2026-06-01\") + [0, 3500, 10900]\nregular(t, [1, 2, 4], every: \"1 h\").value",
          .output = "regular(t, [1, 2, 4], every: \"1 h\").value : float64 4\n    1    2  nan    4",
          .run = regular_row,
      },
      {
          .name = "fill_gaps",
          .family = kFamily,
          .summary = "Fill short gaps of a series by interpolation.",
          .parameters =
              {times,
               values,
               {"longest",
                "longest distance of the values beside a gap that is filled, such as \"3 h\", or seconds",
                ""},
               one_of({"method", "\"linear\" or \"previous\"", "\"linear\""}, choices::kFills)},
          .returns = "vector of the values; longer gaps, and the ends, stay nan",
          .errors = errors,
          .example = "t = 3600 * (0..4)\nfill_gaps(t, [1, nan, 3, nan, nan], longest: \"2 h\")",
          .output =
              "fill_gaps(t, [1, nan, 3, nan, nan], longest: \"2 h\") : float64 5\n    1    2    3  nan  nan",
          .run = fill_row,
      },
      {
          .name = "seasonal_means",
          .family = kFamily,
          .summary = "Means of a series by calendar month, and the anomalies from them.",
          .parameters = {times, values},
          .returns =
              "a record: month (1 to 12), mean, std, count, anomalies (values less the mean of their month)",
          .errors = errors,
          .example = "t = timestamp([\"2025-01-10\", \"2025-07-10\", \"2026-01-10\"])\nseasonal_means(t, [1, "
                     "20, 3]).anomalies",
          .output = "seasonal_means(t, [1, 20, 3]).anomalies : float64 3\n  -1   0   1",
          .run = seasonal_row,
      },
      {
          .name = "trend",
          .family = kFamily,
          .summary =
              "Robust trend of a series (Theil–Sen slope) with a test for series with memory (Mann–Kendall).",
          .parameters =
              {times,
               values,
               {"per",
                "unit of time of the slope, such as \"1 year\" (365.2425 days); none: a year for timestamps, "
                "else the unit of times",
                "none"},
               {"confidence", "confidence level of the interval", "0.95"}},
          .returns = "a record: slope, per, interval (none for few values), p, statistic, intercept (at the "
                     "first time), "
                     "correction (of the variance, for autocorrelation), count",
          .errors = "if there are fewer than 4 or more than a million values; if times do not rise",
          .source = "P. K. Sen, J. Am. Stat. Assoc. 63, 1968; K. H. Hamed, A. R. Rao, J. Hydrol. 204, 1998",
          .example = "r = trend(0..20, 0.5 * (0..20) + sin(0..20))\nabs(r.slope - 0.5) < 0.02",
          .output = "abs(r.slope - 0.5) < 0.02 = true",
          .run = trend_row,
      },
  };
}

}  // namespace quill
