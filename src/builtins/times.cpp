// Points in time.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <span>

#include "array/kernels.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/time_format.h"
#include "base/time_text.h"
#include "builtins/choices.h"
#include "builtins/context.h"
#include "builtins/each_text.h"
#include "builtins/tables.h"

namespace quill {

namespace times_calls {
namespace {

Value as_times(Array seconds) {
  seconds.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
  return Value::array(std::move(seconds));
}

// f of every number, in an array of the same shape.
template <class F>
Array each_number(const Array& a, F f) {
  return map1<double, double>(a, [&](double x) { return std::isfinite(x) ? f(x) : x; });
}

// Argument 0, which is no text.
Array times_of(const Call& call) {
  if (call.value(0).is_array_like() && element_type_of(call.value(0)) == ElementType::text)
    call.fail_argument(0, "must be a timestamp or seconds, not text",
                       "timestamp(\"2026-06-01\") converts a text");
  return call.reals(0);
}

constexpr double kDay = 86400;

// The same, within the years that the calendar has.
Array dates_of(const Call& call) {
  auto times = times_of(call).compact();
  constexpr double most = 9e11;
  const std::span<const double> all(times.data<double>(), static_cast<std::size_t>(times.size()));
  for (const double t : all)
    if (std::fabs(t) > most)
      call.fail_argument(0, fmt::format("contains {} seconds, which is outside the calendar", shortest(t)));
  return times;
}

double start_of_day(double t) { return std::floor(t / kDay) * kDay; }
// Weeks begin on Mondays; the first of January 1970 was a Thursday.
double day_of_week(double t) {
  const double day = std::fmod(std::floor(t / kDay) + 3, 7);
  return (day < 0 ? day + 7 : day) + 1;
}

// The zone that argument i names; null for UTC.
const TimeZone* zone_argument(const Call& call, std::size_t i) {
  if (!call.given(i) || call.value(i).is(Kind::none)) return nullptr;
  const auto name = call.text(i);
  if (name == "UTC") return nullptr;
  const auto* zone = find_zone(name);
  if (!zone)
    call.fail_argument(i, fmt::format("names no time zone that is known here: \"{}\"", printable(name)),
                       "names are those of the tz database, such as \"Europe/Zurich\"");
  return zone;
}

// Local seconds as times; one warning for those that the change of clocks repeats or leaves out.
class FromLocal {
 public:
  explicit FromLocal(const TimeZone* zone) : zone_(zone) {}
  double operator()(double local) {
    if (!zone_ || !std::isfinite(local)) return local;
    const auto time = from_local(*zone_, local);
    twice_ += time.is_twice;
    skipped_ += time.is_skipped;
    return time.seconds;
  }
  void warn(const Call& call) const {
    if (twice_ > 0)
      call.warn(fmt::format("{} local time{} occur{} twice, as clocks are put back; the first one is meant",
                            grouped(twice_), twice_ == 1 ? "" : "s", twice_ == 1 ? "s" : ""),
                "times in UTC, or with an offset (%z), are unique");
    if (skipped_ > 0)
      call.warn(
          fmt::format("{} local time{} do{} not exist, as clocks are put forward; counted on from before",
                      grouped(skipped_), skipped_ == 1 ? "" : "s", skipped_ == 1 ? "es" : ""));
  }

 private:
  const TimeZone* zone_;
  Index twice_ = 0, skipped_ = 0;
};

Value start_of_row(Call& call) {
  const auto unit = call.one_of(1);
  const auto* zone = zone_argument(call, 2);
  ZoneOffsets offsets(zone);
  FromLocal back(zone);
  return as_times(each_number(dates_of(call), [&](double utc) {
    const double t = offsets.to_local(utc);
    return back([&] {
      if (unit == "minute") return std::floor(t / 60) * 60;
      if (unit == "hour") return std::floor(t / 3600) * 3600;
      if (unit == "day") return start_of_day(t);
      if (unit == "week") return start_of_day(t) - (day_of_week(t) - 1) * kDay;
      const auto date = calendar_date(t);
      return start_of_month(date.year, unit == "month" ? static_cast<int>(date.month) : 1);
    }());
  }));
}

constexpr std::array<const char*, 8> kParts = {"year",   "month",  "day",     "hour",
                                               "minute", "second", "weekday", "day_of_year"};

// The parts of a local time, at place k of the columns.
void write_parts(double t, const std::array<double*, kParts.size()>& columns, Index k) {
  if (std::isnan(t)) {
    for (double* const column : columns) column[k] = t;
    return;
  }
  using namespace std::chrono;
  const double day_number = std::floor(t / kDay), second_of_day = t - day_number * kDay;
  const sys_days day{days{static_cast<int>(day_number)}};
  const year_month_day date{day};
  const int minutes = static_cast<int>(second_of_day) / 60;
  columns[0][k] = static_cast<int>(date.year());
  columns[1][k] = static_cast<unsigned>(date.month());
  columns[2][k] = static_cast<unsigned>(date.day());
  columns[3][k] = minutes / 60;
  columns[4][k] = minutes % 60;
  columns[5][k] = second_of_day - 60.0 * minutes;
  columns[6][k] = static_cast<double>(weekday{day}.iso_encoding());
  columns[7][k] = static_cast<double>((day - sys_days{date.year() / January / 1}).count() + 1);
}

Value date_parts_row(Call& call) {
  const auto* zone = zone_argument(call, 1);
  const auto times = dates_of(call);
  std::vector<Array> parts;
  std::array<double*, kParts.size()> columns{};
  for (auto& column : columns) {
    parts.emplace_back(ElementType::float64, times.shape());
    column = parts.back().mutable_data<double>();
  }
  const double* const from = times.data<double>();
  const Index count = times.size();
  constexpr Index piece = 8192;
  in_parallel((count + piece - 1) / piece, [=](Index p) {
    ZoneOffsets offsets(zone);
    for (Index k = p * piece; k < std::min(count, (p + 1) * piece); ++k)
      write_parts(offsets.to_local(from[k]), columns, k);
  });
  std::vector<std::pair<std::string, Value>> fields;
  for (std::size_t k = 0; k < kParts.size(); ++k)
    fields.emplace_back(kParts[k], Value::array(std::move(parts[k])));
  return Value::record(std::move(fields));
}

Value now_row(Call& call) { return as_times(Array::single(call.context.now())); }

std::string format_argument(const Call& call, std::size_t i, bool for_reading) {
  if (!call.given(i) || call.value(i).is(Kind::none)) return "";
  const auto format = call.text(i);
  if (const auto fault = format_fault(format, for_reading); !fault.empty())
    call.fail_argument(i, fault, "format: \"%d.%m.%Y %H:%M\"");
  return format;
}

// Whether an ISO 8601 text ends with a zone of its own.
bool has_own_zone(std::string_view text) {
  const auto time = text.find_first_of("T ");
  if (time == text.npos) return false;
  return text.back() == 'Z' || text.find_first_of("+-", time) != text.npos;
}

Value timestamp_row(Call& call) {
  const auto given = texts(call, 0);
  const auto format = format_argument(call, 1, true);
  FromLocal from(zone_argument(call, 2));
  const auto out = each_text<double>(given, [&](const std::string& t) {
    const auto time = format.empty() ? parse_time(t) : parse_time_as(t, format);
    if (!time)
      call.fail_argument(0,
                         format.empty() ? fmt::format("must be a calendar date, not \"{}\"", printable(t))
                                        : fmt::format("must be dates in the format \"{}\", not \"{}\"",
                                                      printable(format), printable(t)),
                         format.empty() && !guessed_date_format(t).empty()
                             ? fmt::format("format: \"{}\"", guessed_date_format(t))
                             : "timestamp(\"2026-06-01T12:30\")");
    const bool is_utc = format.empty() ? has_own_zone(trim(t)) : has_offset(format);
    return is_utc ? *time : from(*time);
  });
  from.warn(call);
  auto times = to_array(out);
  times.label = std::make_shared<Label>(Label{"", std::string(kTimeUnit)});
  return Value::array(std::move(times));
}

Value timestamp_text_row(Call& call) {
  const auto given = times_of(call);
  const auto format = format_argument(call, 1, false);
  const auto* zone = zone_argument(call, 2);
  const auto written = [&](double t) {
    if (!format.empty()) return time_text_as(t, format, zone);
    return zone && std::isfinite(t) ? time_text(t + zone_offset(*zone, t)) + time_text_as(t, "%z", zone)
                                    : time_text(t);
  };
  if (given.axes() == 0) return Value::text(written(call.number(0)));
  Array out(ElementType::text, given.shape());
  const auto times = given.compact();
  const double* const from = times.data<double>();
  auto* const to = out.mutable_data<std::string>();
  constexpr Index piece = 1024;
  in_parallel((times.size() + piece - 1) / piece, [&](Index p) {
    for (Index k = p * piece; k < std::min(times.size(), (p + 1) * piece); ++k) to[k] = written(from[k]);
  });
  return Value::array(std::move(out));
}

Value add_months_row(Call& call) {
  const auto times = dates_of(call);
  const auto months = call.whole(1);
  if (std::abs(months) > 60000) call.fail_argument(1, "must be at most 60000 months");
  return as_times(each_number(times, [&](double t) { return months_later(t, static_cast<int>(months)); }));
}

}  // namespace
}  // namespace times_calls

std::vector<Builtin> time_rows() {
  using namespace times_calls;
  return {
      {
          .name = "timestamp",
          .family = "times",
          .summary =
              "Convert a date, with or without time of day, to a timestamp, which can be used in arithmetic.",
          .parameters = {{"t",
                          "text such as \"2026-06-01\", \"2026-06-01T12:30\" or \"2026-06-01 "
                          "12:30:05+02:00\", or an array of texts",
                          ""},
                         {"format", "format of the text, as in strftime: \"%d.%m.%Y %H:%M\"; none: ISO 8601",
                          "none"},
                         {"zone", "time zone of texts without one, a name of the tz database; none: UTC",
                          "none"}},
          .returns = "a timestamp, or an array: seconds since 1970-01-01. Where clocks are put back, the "
                     "first of two "
                     "equal local times is meant, with a warning. A "
                     "timestamp plus seconds is a timestamp, a difference of two is in seconds",
          .errors = "if a text is not a date",
          .source = "ISO 8601; the proleptic Gregorian calendar, without leap seconds",
          .example = "(timestamp(\"2026-06-08\") - timestamp(\"2026-06-01\")) / 86400",
          .output = "(timestamp(\"2026-06-08\") - timestamp(\"2026-06-01\")) / 86400 = 7",
          .run = timestamp_row,
      },
      {
          .name = "timestamp_text",
          .family = "times",
          .summary = "Convert a timestamp to text.",
          .parameters =
              {{"t", "timestamps, or seconds since 1970-01-01", ""},
               {"format",
                "format as in strftime: \"%d.%m.%Y %H:%M\"; none: ISO 8601, with the time of day if there "
                "is one",
                "none"},
               {"zone", "time zone, a name of the tz database; none: UTC", "none"}},
          .returns = "a text, or an array of the shape of t",
          .source = "ISO 8601",
          .example = "timestamp_text(timestamp(\"2026-06-01\") + 90 * 60)",
          .output = "timestamp_text(timestamp(\"2026-06-01\") + 90 * 60) = \"2026-06-01T01:30\"",
          .run = timestamp_text_row,
      },
      {
          .name = "start_of",
          .family = "times",
          .summary = "Round timestamps down to the start of a minute, hour, day, week, month or year.",
          .parameters =
              {{"t", "timestamp, or an array of them", ""},
               one_of({"unit", "\"minute\", \"hour\", \"day\", \"week\" (from Monday), \"month\" or \"year\"",
                       "\"day\""},
                      choices::kTimeUnits),
               {"zone", "time zone whose days and months are meant; none: UTC", "none"}},
          .returns = "timestamps, in the shape of t",
          .source = "the proleptic Gregorian calendar",
          .example = "start_of(timestamp(\"2026-06-17T12:30\"), \"month\")",
          .output = "start_of(timestamp(\"2026-06-17T12:30\"), \"month\") = 2026-06-01",
          .run = start_of_row,
      },
      {
          .name = "date_parts",
          .family = "times",
          .summary = "Return year, month, day and time of day of timestamps; for an array, as a table.",
          .parameters = {{"t", "timestamp, or an array of them", ""},
                         {"zone", "time zone, a name of the tz database; none: UTC", "none"}},
          .returns = "a record: year, month, day, hour, minute, second, weekday (1 is Monday), day_of_year",
          .source = "the proleptic Gregorian calendar",
          .example = "date_parts(timestamp(\"2026-06-17T12:30\")).weekday",
          .output = "date_parts(timestamp(\"2026-06-17T12:30\")).weekday = 3",
          .run = date_parts_row,
      },
      {
          .name = "add_months",
          .family = "times",
          .summary =
              "Move timestamps by calendar months; a day beyond the end of a month becomes its last day.",
          .parameters = {{"t", "timestamp, or an array of them", ""},
                         {"n", "number of months; 12 for a year, negative for earlier", ""}},
          .returns = "timestamps, in the shape of t",
          .source = "the proleptic Gregorian calendar",
          .example = "add_months(timestamp(\"2026-01-31\"), 1)",
          .output = "add_months(timestamp(\"2026-01-31\"), 1) = 2026-02-28",
          .run = add_months_row,
      },
      {
          .name = "now",
          .family = "times",
          .summary = "Return the time at which the run began; it is an input of the run, which --set "
                     "now=\"2026-06-01\" replaces.",
          .returns = "a timestamp, the same one during the whole run",
          .example = "now() > timestamp(\"2020-01-01\")",
          .output = "now() > timestamp(\"2020-01-01\") = true",
          .run = now_row,
      },
  };
}

}  // namespace quill
