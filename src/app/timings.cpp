#include "app/timings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace quill {

namespace {

// Linear between the order statistics.
double quantile_of(std::vector<double> values, double p) {
  std::sort(values.begin(), values.end());
  const double at = p * static_cast<double>(values.size() - 1);
  const auto low = static_cast<std::size_t>(at);
  const auto high = std::min(low + 1, values.size() - 1);
  return values[low] + (at - std::floor(at)) * (values[high] - values[low]);
}

std::string memory_of(const Timing& t) {
  auto out = t.arrays == 0 ? std::string("no arrays")
                           : fmt::format("{} in {} array{}", bytes_in_prose(static_cast<double>(t.bytes)),
                                         grouped(t.arrays), t.arrays == 1 ? "" : "s");
  if (t.passes > 0)
    out += fmt::format(", {} pass{} over elements", grouped(t.passes), t.passes == 1 ? "" : "es");
  return out;
}

}  // namespace

double median_seconds(const Timing& timing) { return quantile_of(timing.seconds, 0.5); }

std::string timing_line(const Timing& t) {
  const auto name = t.label.empty() ? std::string("timed") : fmt::format("timed \"{}\"", t.label);
  const auto median = duration_in_prose(median_seconds(t));
  if (t.seconds.size() == 1) return fmt::format("{}: {}, {}\n", name, median, memory_of(t));
  return fmt::format("{}: median {} of {} runs, interquartile range {} … {}; {} each\n", name, median,
                     t.seconds.size(), duration_in_prose(quantile_of(t.seconds, 0.25)),
                     duration_in_prose(quantile_of(t.seconds, 0.75)), memory_of(t));
}

std::string timing_table(std::span<const Timing> timings) {
  double fastest = INFINITY;
  std::size_t label_width = 0, time_width = 4, ratio_width = 5;
  std::vector<std::array<std::string, 3>> rows;
  for (const auto& t : timings) fastest = std::min(fastest, median_seconds(t));
  for (const auto& t : timings) {
    const double seconds = median_seconds(t);
    const double ratio = fastest > 0 ? seconds / fastest : 1;
    rows.push_back({t.label.empty() ? "timed" : t.label, duration_in_prose(seconds),
                    ratio >= 99.95 ? fmt::format("{:.0f}", ratio) : fmt::format("{:.1f}", ratio)});
    label_width = std::max(label_width, display_width(rows.back()[0]));
    time_width = std::max(time_width, display_width(rows.back()[1]));
    ratio_width = std::max(ratio_width, display_width(rows.back()[2]));
  }
  std::string out =
      fmt::format("  {}  {}  {}  memory\n", pad_right("timings", std::max<std::size_t>(label_width, 7)),
                  pad_left("time", time_width), pad_left("ratio", ratio_width));
  for (std::size_t k = 0; k < rows.size(); ++k)
    out += fmt::format("  {}  {}  {}  {}\n", pad_right(rows[k][0], std::max<std::size_t>(label_width, 7)),
                       pad_left(rows[k][1], time_width), pad_left(rows[k][2], ratio_width),
                       memory_of(timings[k]));
  return out;
}

}  // namespace quill
