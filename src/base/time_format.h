// Times in formats other than ISO 8601, and time zones. Uses H. Hinnant's date library with the system's zone
// data.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace quill {

// A time zone by its name in the tz database, such as "Europe/Zurich"; null if unknown.
class TimeZone;
const TimeZone* find_zone(const std::string& name);
// UTC offset in seconds, positive to the east, at a time in seconds since 1970.
double zone_offset(const TimeZone& zone, double seconds);

// The offsets of many times, one after the other: quick as long as they lie between the same changes of
// clocks.
class ZoneOffsets {
 public:
  explicit ZoneOffsets(const TimeZone* zone) : zone_(zone) {}  // null: UTC
  // Local seconds of a time; nan and infinities remain.
  double to_local(double seconds) {
    if (zone_ == nullptr) return seconds;
    if (!(seconds >= begin_ && seconds < end_)) find(seconds);
    return seconds + offset_;
  }

 private:
  void find(double seconds);
  const TimeZone* zone_;
  double begin_ = 0, end_ = 0, offset_ = 0;  // where the offset is known
};

// Seconds since 1970 of a local time. Times that occur twice (clocks set back) mean the first; times skipped
// (clocks set forward) use the offset before the change.
struct ZonedTime {
  double seconds = 0;
  bool is_twice = false, is_skipped = false;
};
ZonedTime from_local(const TimeZone& zone, double local_seconds);

// Why a time format is invalid; "" if it is valid. Formats are those of strftime: %Y %y %m %b %B %d %e %j %H
// %I %p %M %S %T %F %z %Z %a %A %%; reading requires a year, and a month and day or a day of the year.
std::string format_fault(const std::string& format, bool for_reading);

// Local seconds of a text in this format; UTC if the format has %z. Nothing if the text does not match or is
// not a date of the calendar. Seconds may have a fraction.
std::optional<double> parse_time_as(std::string_view text, const std::string& format);
// Whether the format contains a UTC offset.
bool has_offset(const std::string& format);
// Text of a time in local seconds; %z and %Z are those of the zone (UTC if null).
std::string time_text_as(double seconds, const std::string& format, const TimeZone* zone);

// The probable format of a date that is not ISO 8601, such as "%d.%m.%Y"; "" if the text does not look like
// one.
std::string guessed_date_format(std::string_view text);

// "1 d", "6 h", "15 min", "30 s", "2 weeks" in seconds; nothing for months and years.
std::optional<double> parse_duration(std::string_view text);
// "1 month", "3 months", "1 year" in months.
std::optional<int> parse_months(std::string_view text);
// Adds n months; days beyond the end of the month become its last day.
double months_later(double seconds, int months);

}  // namespace quill
