#include "numerics/series.h"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <map>
#include <numeric>

#include "base/interrupt.h"
#include "base/number.h"
#include "base/time_format.h"
#include "base/time_text.h"
#include "numerics/distributions.h"
#include "numerics/hypothesis.h"
#include "numerics/signals.h"
#include "numerics/sorted.h"

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
  const auto correlations = autocorrelation(ranks, static_cast<Index>(n) - 1);
  for (std::size_t lag = 1; lag + 2 < n; ++lag) {
    const double r = correlations[lag], left = size - static_cast<double>(lag);
    if (std::fabs(r) > limit) sum += left * (left - 1) * (left - 2) * r;
  }
  // The same for a process of first order, whose coefficient is freed from the bias of a trend that was taken
  // off (F. H. C. Marriott, J. A. Pope, Biometrika 41, 1954; S. Yue, C. Wang, Water Resour. Manag. 18, 2004):
  // the larger one counts, and never less than for independent values.
  const double next = correlations[1], rho = std::clamp((size * next + 2) / (size - 4), 0.0, 0.98);
  const double first_order = 1 + 2 * (std::pow(rho, size + 1) - size * rho * rho + (size - 1) * rho) /
                                     (size * (rho - 1) * (rho - 1));
  return std::max({1.0, 1 + 2 * sum / (size * (size - 1) * (size - 2)), next > limit ? first_order : 1});
}

// The slopes between all pairs of values, in order.
class Slopes {
 public:
  // Times rise; there are at least two.
  Slopes(const std::vector<double>& t, const std::vector<double>& y) : t_(t), y_(y) {
    const auto n = t.size();
    pairs_ = static_cast<double>(n) * static_cast<double>(n - 1) / 2;
    constexpr std::size_t few = 3000;  // 36 MB of slopes
    if (n > few) {
      find_units();
      return;
    }
    all_.reserve(n * (n - 1) / 2);
    for (std::size_t i = 0; i < n; ++i) {
      poll_interrupt();
      for (std::size_t j = 0; j < i; ++j) all_.push_back((y[i] - y[j]) / (t[i] - t[j]));
    }
    std::sort(all_.begin(), all_.end());
  }
  double count() const { return pairs_; }
  // The slope of a rank from 1 to the count: of many values the largest number that at most rank - 1 slopes
  // are below. A slope is below m where a value less m times its time is smaller than an earlier one.
  double at(double rank) const {
    if (!all_.empty()) return all_[static_cast<std::size_t>(rank) - 1];
    auto low = ordered(low_), high = ordered(high_);
    if (below(high_) < rank) return high_ * unit_;
    while (high > low + 1) {
      const auto middle = std::midpoint(low, high);
      (below(number(middle)) < rank ? low : high) = middle;
    }
    return number(low) * unit_;
  }

 private:
  // Numbers as integers of the same order, so that bisection ends.
  static std::int64_t ordered(double x) {
    const auto bits = std::bit_cast<std::int64_t>(x);
    return bits < 0 ? std::numeric_limits<std::int64_t>::min() - bits : bits;
  }
  static double number(std::int64_t order) {
    return std::bit_cast<double>(order < 0 ? std::numeric_limits<std::int64_t>::min() - order : order);
  }
  // All slopes are between the least and the largest one of neighbours. Values in units in which no product
  // overflows.
  void find_units() {
    double largest = 0;
    for (const double v : y_) largest = std::max(largest, std::fabs(v));
    if (largest > 0) size_ = largest;
    range_ = t_.back() - t_.front();
    unit_ = size_ / range_;
    low_ = kLargest;
    high_ = -kLargest;
    for (std::size_t k = 1; k < t_.size(); ++k) {
      const double slope = (scaled(k) - scaled(k - 1)) / ((t_[k] - t_[k - 1]) / range_);
      low_ = std::min(low_, slope);
      high_ = std::max(high_, slope);
    }
    low_ = std::max(low_, -kLargest);
    high_ = std::min(high_, kLargest);
  }
  double scaled(std::size_t k) const { return y_[k] / size_; }
  // How many slopes are below m, in the unit `unit_`.
  double below(double m) const {
    std::vector<double> rest(t_.size());
    for (std::size_t k = 0; k < rest.size(); ++k) rest[k] = scaled(k) - m * ((t_[k] - t_[0]) / range_);
    return exchanges(std::move(rest));
  }

  static constexpr double kLargest = 1e300;
  const std::vector<double>&t_, &y_;
  double pairs_ = 0, unit_ = 1, size_ = 1, range_ = 1, low_ = 0, high_ = 0;
  std::vector<double> all_;
};

}  // namespace
}  // namespace series

Trend trend(std::span<const double> times, std::span<const double> values, double confidence) {
  using namespace series;
  std::vector<double> t, y;
  for (std::size_t k = 0; k < times.size(); ++k)
    if (!std::isnan(values[k]) && !std::isnan(times[k])) t.push_back(times[k]), y.push_back(values[k]);
  const auto n = t.size();
  constexpr std::size_t most = 1'000'000;
  if (n < 4) fail(fmt::format("a trend needs at least 4 values, not {}", n));
  if (n > most)
    fail(
        fmt::format("a trend takes at most {} values, not {}", grouped(most), grouped(static_cast<Index>(n))),
        "aggregate(mean, times, values, every: \"1 month\") first");
  for (std::size_t k = 1; k < n; ++k)
    if (!(t[k] > t[k - 1])) fail("times must rise");
  Trend out;
  out.count = static_cast<Index>(n);
  const Slopes slopes(t, y);
  const double pairs = slopes.count(), half = std::floor(pairs / 2);
  out.slope = half * 2 < pairs ? slopes.at(half + 1) : slopes.at(half) / 2 + slopes.at(half + 1) / 2;
  std::vector<double> rest;
  for (std::size_t k = 0; k < n; ++k) rest.push_back(y[k] - out.slope * (t[k] - t[0]));
  out.intercept = median_of(rest);
  const auto size = static_cast<double>(n);
  double ties = 0, tied_pairs = 0;
  std::map<double, double> equal;
  for (const double v : y) ++equal[v];
  for (const auto& [value, count] : equal) {
    ties += count * (count - 1) * (2 * count + 5);
    tied_pairs += count * (count - 1) / 2;
  }
  const double s = pairs - tied_pairs - 2 * exchanges(y);
  out.correction = variance_factor(rest);
  const double variance = (size * (size - 1) * (2 * size + 5) - ties) / 18 * out.correction;
  out.statistic = variance > 0 && s != 0 ? (s - std::copysign(1, s)) / std::sqrt(variance) : 0;
  const Distribution z(DistributionKind::normal, {0, 1});
  out.p = std::min(1.0, 2 * z.survival(std::fabs(out.statistic)));
  // P. K. Sen, J. Am. Stat. Assoc. 63, 1968: the slopes of these ranks.
  const double reach = z.upper_quantile((1 - confidence) / 2) * std::sqrt(variance);
  const double low = (pairs - reach) / 2, high = (pairs + reach) / 2 + 1;
  if (low >= 1 && high <= pairs) out.interval = {slopes.at(std::floor(low)), slopes.at(std::ceil(high))};
  return out;
}

}  // namespace quill
