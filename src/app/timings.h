// Timings as text.
#pragma once

#include <span>
#include <string>

#include "base/time_text.h"
#include "value/timing.h"

namespace quill {

// Median of the repetitions.
double median_seconds(const Timing& timing);
// One line for a timing: time (median and quartiles of repetitions), memory.
std::string timing_line(const Timing& timing);
// A table of several timings with their ratios to the fastest.
std::string timing_table(std::span<const Timing> timings);

}  // namespace quill
