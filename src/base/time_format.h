// Times in other forms than ISO 8601, and in time zones: H. Hinnant's date library with the system's zone
// data.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// A time zone by its name in the tz database, such as "Europe/Zurich"; null if there is none of that name.
class TimeZone;
const TimeZone* find_zone(const std::string& name);
// Its offset from UTC in seconds, east positive, at a time in seconds since 1970.
double zone_offset(const TimeZone& zone, double seconds);

// Of a local time the seconds since 1970. Where clocks are put back, a time exists twice: the first one is
// meant. Where they are put forward, it does not exist: it counts on from before.
struct ZonedTime {
  double seconds = 0;
  bool is_twice = false, is_skipped = false;
};
ZonedTime from_local(const TimeZone& zone, double local_seconds);

// Why a format is none: "" when it is one. Formats are those of strftime: %Y %y %m %b %B %d %e %j %H %I %p %M
// %S %T %F %z %Z %a %A %%; for reading they need a year, and a month and day or a day of the year.
std::string format_fault(const std::string& format, bool for_reading);

// The local seconds that a text has in a format; if the format has %z, UTC. Nothing when the text has another
// form or is no date of the calendar. Seconds may have a fraction.
std::optional<double> parse_time_as(std::string_view text, const std::string& format);
// Whether the format has an offset from UTC.
bool has_offset(const std::string& format);
// The text of local seconds; %z and %Z are of the zone (UTC for none).
std::string time_text_as(double seconds, const std::string& format, const TimeZone* zone);

// Whether a text looks like a date in a form that is not ISO 8601, and the format it may have: "%d.%m.%Y".
std::string guessed_date_format(std::string_view text);

// "1 d", "6 h", "15 min", "30 s", "2 weeks" in seconds; months and years have none.
std::optional<double> parse_duration(std::string_view text);
// "1 month", "3 months", "1 year" in months.
std::optional<int> parse_months(std::string_view text);
// n months later; days beyond the end of a month become its last day.
double months_later(double seconds, int months);

}  // namespace quill
