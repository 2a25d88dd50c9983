#include "numerics/series.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/interrupt.h"
#include "base/number.h"
#include "base/time_format.h"
#include "base/time_text.h"
#include "numerics/distributions.h"
#include "numerics/hypothesis.h"

namespace quill {

namespace series {
namespace {

constexpr double kWeek = 604800;
// Weeks begin on Monday; 1970-01-01 was a Thursday.
constexpr double kFirstMonday = 4 * 86400.0;

double median_of(std::vector<double> v) {
  const auto middle = v.begin() + static_cast<Index>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  if (v.size() % 2 == 1) return *middle;
  return *middle / 2 + *std::max_element(v.begin(), middle) / 2;
}

double median_distance(std::span<const double> times) {
  std::vector<double> out;
  for (std::size_t k = 1; k < times.size(); ++k) out.push_back(times[k] - times[k - 1]);
  return out.empty() ? 0 : median_of(std::move(out));
}

}  // namespace
}  // namespace series

double start_of_step(double time, const TimeStep& step) {
  if (step.months > 0) {
    const auto date = calendar_date(time);
    const int month = (date.year - 1970) * 12 + static_cast<int>(date.month) - 1;
    const int start = static_cast<int>(std::floor(static_cast<double>(month) / step.months)) * step.months;
    return start_of_month(1970, start + 1);
  }
  const bool is_weeks = std::fmod(step.seconds, series::kWeek) == 0;
  const double from = is_weeks ? series::kFirstMonday : 0;
  return std::floor((time - from) / step.seconds) * step.seconds + from;
}

double next_step(double start, const TimeStep& step) {
  return step.months > 0 ? months_later(start, step.months) : start + step.seconds;
}

std::vector<Bin> binned_by_time(std::span<const double> times, std::span<const double> values,
                                const TimeStep& step) {
  std::vector<Bin> out;
  if (times.empty()) return out;
  const double distance = series::median_distance(times);
  constexpr double most_bins = 1e7;
  const double length = step.months > 0 ? step.months * 2.6e6 : step.seconds;
  if ((times.back() - times.front()) / length > most_bins)
    fail("there would be more than 10 million steps", "is `every` too short, or a time wrong?");
  std::size_t k = 0;
  for (double start = start_of_step(times.front(), step); k < times.size();) {
    poll_interrupt_at(out.size());
    const double end = next_step(start, step);
    Bin bin;
    bin.start = start;
    bin.expected = distance > 0 ? std::max(1.0, std::round((end - start) / distance)) : 1;
    for (; k < times.size() && times[k] < end; ++k)
      if (!std::isnan(values[k])) bin.values.push_back(values[k]);
    out.push_back(std::move(bin));
    start = end;
  }
  return out;
}

std::vector<double> gaps_filled(std::span<const double> times, std::span<const double> values, double longest,
                                bool previous) {
  std::vector<double> out(values.begin(), values.end());
  const auto n = values.size();
  std::size_t last = n;  // the last value that is there
  for (std::size_t k = 0; k < n; ++k) {
    if (std::isnan(values[k])) continue;
    if (last < k && k - last > 1 && times[k] - times[last] <= longest * (1 + 1e-12))
      for (std::size_t j = last + 1; j < k; ++j) {
        const double share = previous ? 0 : (times[j] - times[last]) / (times[k] - times[last]);
        out[j] = (1 - share) * values[last] + share * values[k];
      }
    last = k;
  }
  return out;
}

namespace series {
namespace {

// The factor of Hamed and Rao on the variance of Kendall's S: from the significant autocorrelations of the
// ranks.
double variance_factor(const std::vector<double>& residuals) {
  const auto ranks = ranks_of(residuals);
  const auto n = ranks.size();
  const auto size = static_cast<double>(n);
  double mean = 0, own = 0;
  for (const double r : ranks) mean += r / size;
  for (const double r : ranks) own += (r - mean) * (r - mean);
  if (!(own > 0)) return 1;
  double sum = 0;
  const double limit = 1.96 / std::sqrt(size);
  for (std::size_t lag = 1; lag + 2 < n; ++lag) {
    poll_interrupt();
    double product = 0;
    for (std::size_t k = 0; k + lag < n; ++k) product += (ranks[k] - mean) * (ranks[k + lag] - mean);
    const double r = product / own, left = size - static_cast<double>(lag);
    if (std::fabs(r) > limit) sum += left * (left - 1) * (left - 2) * r;
  }
  // The same for a process of first order, whose coefficient is freed from the bias of a trend that was taken
  // off (F. H. C. Marriott, J. A. Pope, Biometrika 41, 1954; S. Yue, C. Wang, Water Resour. Manag. 18, 2004):
  // the larger one counts, and never less than for independent values.
  double next = 0;
  for (std::size_t k = 0; k + 1 < n; ++k) next += (ranks[k] - mean) * (ranks[k + 1] - mean);
  const double rho = std::clamp((size * next / own + 2) / (size - 4), 0.0, 0.98);
  const double first_order = 1 + 2 * (std::pow(rho, size + 1) - size * rho * rho + (size - 1) * rho) /
                                     (size * (rho - 1) * (rho - 1));
  return std::max(
      {1.0, 1 + 2 * sum / (size * (size - 1) * (size - 2)), next / own > limit ? first_order : 1});
}

}  // namespace
}  // namespace series

Trend trend(std::span<const double> times, std::span<const double> values, double confidence) {
  using namespace series;
  std::vector<double> t, y;
  for (std::size_t k = 0; k < times.size(); ++k)
    if (!std::isnan(values[k]) && !std::isnan(times[k])) t.push_back(times[k]), y.push_back(values[k]);
  const auto n = t.size();
  constexpr std::size_t most = 5000;
  if (n < 4) fail(fmt::format("a trend needs at least 4 values, not {}", n));
  if (n > most)
    fail(
        fmt::format("a trend takes at most {} values, not {}", grouped(most), grouped(static_cast<Index>(n))),
        "aggregate(mean, times, values, every: \"1 month\") first");
  std::vector<double> slopes;
  slopes.reserve(n * (n - 1) / 2);
  double s = 0;
  for (std::size_t i = 0; i < n; ++i) {
    poll_interrupt();
    for (std::size_t j = 0; j < i; ++j) {
      if (!(t[i] > t[j])) fail("times must rise");
      s += (y[i] > y[j]) - (y[i] < y[j]);
      slopes.push_back((y[i] - y[j]) / (t[i] - t[j]));
    }
  }
  Trend out;
  out.count = static_cast<Index>(n);
  std::sort(slopes.begin(), slopes.end());
  const auto pairs = slopes.size();
  out.slope = pairs % 2 ? slopes[pairs / 2] : slopes[pairs / 2 - 1] / 2 + slopes[pairs / 2] / 2;
  std::vector<double> rest;
  for (std::size_t k = 0; k < n; ++k) rest.push_back(y[k] - out.slope * (t[k] - t[0]));
  out.intercept = median_of(rest);
  const auto size = static_cast<double>(n);
  double ties = 0;
  std::map<double, double> equal;
  for (const double v : y) ++equal[v];
  for (const auto& [value, count] : equal) ties += count * (count - 1) * (2 * count + 5);
  out.correction = variance_factor(rest);
  const double variance = (size * (size - 1) * (2 * size + 5) - ties) / 18 * out.correction;
  out.statistic = variance > 0 && s != 0 ? (s - std::copysign(1, s)) / std::sqrt(variance) : 0;
  const Distribution z(DistributionKind::normal, {0, 1});
  out.p = std::min(1.0, 2 * z.survival(std::fabs(out.statistic)));
  // P. K. Sen, J. Am. Stat. Assoc. 63, 1968: the slopes of these ranks.
  const double reach = z.upper_quantile((1 - confidence) / 2) * std::sqrt(variance),
               count = static_cast<double>(pairs);
  const double low = (count - reach) / 2, high = (count + reach) / 2 + 1;
  if (low >= 1 && high <= count)
    out.interval = {slopes[static_cast<std::size_t>(low) - 1],
                    slopes[static_cast<std::size_t>(std::ceil(high)) - 1]};
  return out;
}

}  // namespace quill
