// Timestamps as seconds since 1970-01-01T00:00:00 UTC (POSIX, without leap seconds), in the formats of ISO
// 8601.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// The unit of columns that hold timestamps.
inline constexpr std::string_view kTimeUnit = "seconds since 1970-01-01";

// "2026-06-01", "2026-06-01T12:30", "2026-06-01 12:30:05.5Z", "…+02:00"; UTC without a zone. Nothing if the
// text is not a date of the calendar.
std::optional<double> parse_time(std::string_view text);

// "2026-06-01", with time of day and fraction of a second if they are not zero; as a plain number for nan and
// beyond the years -9999 to 9999.
std::string time_text(double seconds);

struct CalendarDate {
  int year = 1970;
  unsigned month = 1, day = 1;
  double second_of_day = 0;
};
// Limited to the years -5900 to 9800.
CalendarDate calendar_date(double seconds);
// Midnight at the start of a month; months beyond 12 continue into later years.
double start_of_month(int year, int month);
// "Jun"
std::string_view month_name(unsigned month);

// A duration: "12.3 ms", "1.24 s", "2 min 3 s".
std::string duration_in_prose(double seconds);

}  // namespace quill
