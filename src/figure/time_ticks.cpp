#include "figure/time_ticks.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/time_text.h"

namespace quill {

namespace {

constexpr double kMost = 2e11;  // seconds; years of four figures
constexpr double kMinute = 60, kHour = 3600, kDay = 86400, kMonth = 30.44 * kDay, kYear = 365.2425 * kDay;

// Steps in seconds; those of a month and more go by the calendar.
struct TimeStep {
  double seconds;
  int months = 0;
};

constexpr TimeStep kTimeSteps[] = {{1},
                                   {2},
                                   {5},
                                   {10},
                                   {15},
                                   {30},
                                   {kMinute},
                                   {2 * kMinute},
                                   {5 * kMinute},
                                   {10 * kMinute},
                                   {15 * kMinute},
                                   {30 * kMinute},
                                   {kHour},
                                   {2 * kHour},
                                   {3 * kHour},
                                   {6 * kHour},
                                   {12 * kHour},
                                   {kDay},
                                   {2 * kDay},
                                   {7 * kDay},
                                   {14 * kDay},
                                   {kMonth, 1},
                                   {2 * kMonth, 2},
                                   {3 * kMonth, 3},
                                   {6 * kMonth, 6}};

// The step that comes nearest to the wanted count.
TimeStep step_for(double range, double wanted) {
  TimeStep best = kTimeSteps[0];
  double least = INFINITY;
  const auto consider = [&](const TimeStep& step) {
    const double off = std::fabs(std::log(range / step.seconds / wanted));
    if (off >= least) return;
    least = off;
    best = step;
  };
  for (const auto& step : kTimeSteps) consider(step);
  for (const int years : {1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000})
    consider({years * kYear, years * 12});
  return best;
}

std::vector<double> calendar_positions(double low, double high, int months) {
  std::vector<double> out;
  const auto first = calendar_date(low);
  // Whole multiples since the year 0, so that January is among them.
  int index = first.year * 12 + static_cast<int>(first.month) - 1;
  index -= ((index % months) + months) % months;
  for (;; index += months) {
    const double t = start_of_month(0, index + 1);
    if (t > high) return out;
    if (t >= low) out.push_back(t);
  }
}

std::vector<double> clock_positions(double low, double high, double step) {
  std::vector<double> out;
  // Weeks begin on Mondays; 1970 began on a Thursday.
  const double origin = std::fmod(step, 7 * kDay) == 0 ? 4 * kDay : 0;
  for (double k = std::ceil((low - origin) / step); origin + k * step <= high; ++k)
    out.push_back(origin + k * step);
  return out;
}

// The finest unit that labels must show.
enum class Finest { second, minute, day, month, year };

Finest finest_of(const std::vector<double>& positions) {
  auto finest = Finest::year;
  for (const double t : positions) {
    const auto date = calendar_date(t);
    const auto here = std::fmod(date.second_of_day, kMinute) != 0 ? Finest::second
                      : date.second_of_day != 0                   ? Finest::minute
                      : date.day != 1                             ? Finest::day
                      : date.month != 1                           ? Finest::month
                                                                  : Finest::year;
    finest = std::min(finest, here);
  }
  return finest;
}

std::string day_of(const CalendarDate& date) {
  return fmt::format("{} {}", date.day, month_name(date.month));
}

// `decimals`: of the seconds.
std::string label_of(double t, Finest finest, int decimals) {
  const auto date = calendar_date(t);
  const auto second = date.second_of_day;
  switch (finest) {
    case Finest::year: return fmt::format("{}", date.year);
    case Finest::month:
      return date.month == 1 ? fmt::format("{}", date.year) : std::string(month_name(date.month));
    case Finest::day: return day_of(date);
    default: break;
  }
  if (second == 0) return day_of(date);
  const int hour = static_cast<int>(second / kHour),
            minute = static_cast<int>(std::fmod(second, kHour) / kMinute);
  if (finest == Finest::minute) return fmt::format("{:02}:{:02}", hour, minute);
  const double rest = std::fmod(second, kMinute);
  return fmt::format("{:02}:{:02}:{:0{}.{}f}", hour, minute, rest, decimals > 0 ? decimals + 3 : 2, decimals);
}

// Number of decimals of a second that distinguish them exactly: 0 to `kMostDecimals`, or more.
constexpr int kMostDecimals = 3;
int decimals_for(const std::vector<double>& positions) {
  double nearest = INFINITY;
  for (std::size_t k = 1; k < positions.size(); ++k)
    if (const double apart = std::fabs(positions[k] - positions[k - 1]); apart > 0)
      nearest = std::min(nearest, apart);
  if (!std::isfinite(nearest)) nearest = 1;
  double unit = 1;
  for (int d = 0; d <= kMostDecimals; ++d, unit *= 10)
    if (std::all_of(positions.begin(), positions.end(), [&](double t) {
          const double rest = t - std::floor(t), said = std::round(rest * unit) / unit;
          return std::fabs(said - rest) < 1e-3 * nearest || std::floor(t) + said == t;
        }))
      return d;
  return kMostDecimals + 1;
}

// The shortest decimal number of seconds from a whole one that is this timestamp.
double seconds_between(double whole, double t) {
  const double seconds = t - whole;
  double unit = 1;
  for (int d = 0; d < 9; ++d, unit *= 10)
    if (const double said = std::round(seconds * unit) / unit; whole + said == t) return said;
  return seconds;
}

// Differences in seconds as numbers, if they are below the clock's resolution.
TimeTicks seconds_from(const std::vector<double>& positions) {
  TimeTicks out;
  const double whole = std::floor(*std::min_element(positions.begin(), positions.end()));
  std::vector<double> seconds;
  for (const double t : positions) seconds.push_back(seconds_between(whole, t));
  auto texts = tick_texts(seconds);
  out.ticks.positions = positions;
  out.ticks.labels = std::move(texts.labels);
  out.ticks.common = std::move(texts.common);
  const auto date = calendar_date(whole);
  const auto second = static_cast<int>(date.second_of_day);
  out.context = fmt::format("seconds from {:04}-{:02}-{:02} {:02}:{:02}:{:02}", date.year, date.month,
                            date.day, second / 3600, second / 60 % 60, second % 60);
  return out;
}

std::string context_of(const std::vector<double>& positions, double low, double high, Finest finest) {
  const auto from = calendar_date(low), to = calendar_date(high);
  const bool shows_year = std::any_of(positions.begin(), positions.end(), [&](double t) {
    const auto date = calendar_date(t);
    return finest == Finest::year || (finest == Finest::month && date.month == 1);
  });
  if (shows_year) return {};
  if (finest >= Finest::day)
    return from.year == to.year ? fmt::format("{}", from.year) : fmt::format("{}–{}", from.year, to.year);
  const bool shows_day = std::any_of(positions.begin(), positions.end(),
                                     [](double t) { return calendar_date(t).second_of_day == 0; });
  if (shows_day) return fmt::format("{}", from.year);
  if (from.year == to.year && from.month == to.month && from.day == to.day)
    return fmt::format("{} {}", day_of(from), from.year);
  return fmt::format("{} to {} {}", day_of(from), day_of(to), to.year);
}

}  // namespace

TimeTicks labelled_times(const std::vector<double>& positions, double low, double high) {
  TimeTicks out;
  out.ticks.positions = positions;
  if (std::any_of(positions.begin(), positions.end(), [](double t) { return !(std::fabs(t) < kMost); })) {
    out.ticks.labels = tick_labels(positions);
    return out;
  }
  if (positions.empty()) return out;
  const auto finest = finest_of(positions);
  const int decimals = finest == Finest::second ? decimals_for(positions) : 0;
  if (decimals > kMostDecimals) return seconds_from(positions);
  for (const double t : positions) out.ticks.labels.push_back(label_of(t, finest, decimals));
  out.context = context_of(positions, low, high, finest);
  return out;
}

TimeTicks time_ticks(double low, double high, double wanted) {
  if (!(std::fabs(low) < kMost && std::fabs(high) < kMost)) return {linear_ticks(low, high, wanted), ""};
  // Less than a few seconds: fractions of them.
  if (high - low < 5) {
    const double whole = std::floor(low);
    auto positions = linear_ticks(low - whole, high - whole, wanted).positions;
    for (double& t : positions) t += whole;
    // Ranges of a few steps between numbers: two may have become one.
    positions.erase(std::unique(positions.begin(), positions.end()), positions.end());
    std::erase_if(positions, [&](double t) { return t < low || t > high; });
    if (positions.size() < 2 && low < high) positions = {low, high};
    return labelled_times(positions, low, high);
  }
  const auto step = step_for(high - low, wanted);
  auto out = labelled_times(
      step.months > 0 ? calendar_positions(low, high, step.months) : clock_positions(low, high, step.seconds),
      low, high);
  out.ticks.step = step.seconds;
  return out;
}

}  // namespace quill
