// Ticks of time axes, at round times of clock and calendar (UTC).
#pragma once

#include "figure/ticks.h"

namespace quill {

struct TimeTicks {
  Ticks ticks;
  std::string context;  // what is common to all labels and omitted from them: "June 2026"
};

// About `wanted` ticks between two timestamps, in seconds since 1970. At midnight the day is shown instead of
// the hour, in January the year instead of the month.
TimeTicks time_ticks(double low, double high, double wanted);
// Labels and context for given positions.
TimeTicks labelled_times(const std::vector<double>& positions, double low, double high);

}  // namespace quill
