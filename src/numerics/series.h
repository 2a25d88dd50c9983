// Time series: aggregation, regular times, gaps, seasons, trends. Times are in seconds and must increase.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// Steps of a number of seconds, or of calendar months.
struct TimeStep {
  double seconds = 0;
  int months = 0;
};
// Start of the step that contains a time: multiples of the step since 1970-01-01 (weeks start on Monday), or
// months since January 1970.
double start_of_step(double time, const TimeStep& step);
double next_step(double start, const TimeStep& step);

// Values of each step from first to last, without nan.
struct Bin {
  double start = 0;
  std::vector<double> values;
  double expected = 0;  // number of values in a complete step, by the median distance of times
};
std::vector<Bin> binned_by_time(std::span<const double> times, std::span<const double> values,
                                const TimeStep& step);

// Replaces nan by interpolation in time between neighbours at most `longest` seconds apart: linearly, or by
// the last value.
std::vector<double> gaps_filled(std::span<const double> times, std::span<const double> values, double longest,
                                bool previous);

// Theil–Sen slope with the test of H. B. Mann and M. G. Kendall, whose variance is corrected for
// autocorrelation of the residuals' ranks (K. H. Hamed, A. R. Rao, J. Hydrol. 204, 1998). Ignores nan; at
// most a million values.
struct Trend {
  double slope = 0;  // per second
  std::optional<std::pair<double, double>> interval;
  double intercept = 0;  // median of value - slope · (time - first time)
  double statistic = 0;  // the normal deviate
  double p = 1;
  double correction = 1;  // factor of the variance
  Index count = 0;
};
Trend trend(std::span<const double> times, std::span<const double> values, double confidence);

}  // namespace quill
