// Ticks of an axis of time, at round places of the clock and the calendar (UTC).
#pragma once

#include "figure/ticks.h"

namespace quill {

struct TimeTicks {
  Ticks ticks;
  std::string context;  // what the labels leave out and stays the same along the axis: "June 2026"
};

// About `wanted` ticks between two timestamps, seconds since 1970. At midnight the day stands for the
// hour, in January the year for the month.
TimeTicks time_ticks(double low, double high, double wanted);
// Labels and context for positions that are given.
TimeTicks labelled_times(const std::vector<double>& positions, double low, double high);

}  // namespace quill
