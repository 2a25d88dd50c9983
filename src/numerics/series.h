// Series of values at times: aggregation, regular times, gaps, seasons, trends. Times are in seconds; the
// order of times must rise.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "array/array.h"

namespace quill {

// Steps of equal seconds, or of calendar months.
struct TimeStep {
  double seconds = 0;
  int months = 0;
};
// The start of the step that contains a time: multiples of the step since 1970-01-01 (weeks from Monday), or
// months since January 1970.
double start_of_step(double time, const TimeStep& step);
double next_step(double start, const TimeStep& step);

// The values of each step from the first to the last one, nan left out.
struct Bin {
  double start = 0;
  std::vector<double> values;
  double expected = 0;  // how many values a full step has, by the median distance of the times
};
std::vector<Bin> binned_by_time(std::span<const double> times, std::span<const double> values,
                                const TimeStep& step);

// Where nan stands among values, filled by interpolation between the neighbours in time if they are at most
// `longest` seconds apart; by a straight line, or the last value.
std::vector<double> gaps_filled(std::span<const double> times, std::span<const double> values, double longest,
                                bool previous);

// Theil and Sen's slope with the test of H. B. Mann and M. G. Kendall, whose variance is corrected for the
// autocorrelation of the residuals' ranks (K. H. Hamed, A. R. Rao, J. Hydrol. 204, 1998). nan left out; at
// most a million values.
struct Trend {
  double slope = 0;  // per second
  std::optional<std::pair<double, double>> interval;
  double intercept = 0;  // median of value - slope · (time - first time)
  double statistic = 0;  // the normal score
  double p = 1;
  double correction = 1;  // factor on the variance
  Index count = 0;
};
Trend trend(std::span<const double> times, std::span<const double> values, double confidence);

}  // namespace quill
