#include "base/time_format.h"

#include <date/date.h>
#include <date/tz.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <sstream>

#include "base/number.h"
#include "base/text.h"
#include "base/time_text.h"

namespace quill {

namespace {

using Microseconds = std::chrono::microseconds;
// Range of the calendar; times beyond it are not converted.
constexpr double kMostSeconds = 2.5e11;

const date::time_zone& zone_of(const TimeZone& zone) {
  return reinterpret_cast<const date::time_zone&>(zone);
}

date::sys_seconds whole_seconds(double seconds) {
  return date::sys_seconds(std::chrono::seconds(
      static_cast<std::int64_t>(std::floor(std::clamp(seconds, -kMostSeconds, kMostSeconds)))));
}

}  // namespace

const TimeZone* find_zone(const std::string& name) {
  try {
    return reinterpret_cast<const TimeZone*>(date::locate_zone(name));
  } catch (const std::exception&) { return nullptr; }
}

double zone_offset(const TimeZone& zone, double seconds) {
  return static_cast<double>(zone_of(zone).get_info(whole_seconds(seconds)).offset.count());
}

void ZoneOffsets::find(double seconds) {
  if (!std::isfinite(seconds)) return;
  const auto info = zone_of(*zone_).get_info(whole_seconds(seconds));
  offset_ = static_cast<double>(info.offset.count());
  // Beyond the range of the calendar the offset of its end is used.
  begin_ = std::min(seconds, static_cast<double>(info.begin.time_since_epoch().count()));
  end_ = std::max(seconds, static_cast<double>(info.end.time_since_epoch().count()));
}

ZonedTime from_local(const TimeZone& zone, double local_seconds) {
  const auto local = date::local_seconds(whole_seconds(local_seconds).time_since_epoch());
  const auto info = zone_of(zone).get_info(local);
  return {local_seconds - static_cast<double>(info.first.offset.count()),
          info.result == date::local_info::ambiguous, info.result == date::local_info::nonexistent};
}

std::string format_fault(const std::string& format, bool for_reading) {
  constexpr std::string_view known = "YymbBdejHIpMSTFzZaA%";
  bool year = false, month = false, day = false, of_year = false;
  for (std::size_t k = 0; k < format.size(); ++k) {
    if (format[k] != '%') continue;
    const char c = k + 1 < format.size() ? format[++k] : '\0';
    if (c == '\0') return "ends with %";
    if (known.find(c) == known.npos)
      return fmt::format("has the unknown conversion %{}", printable(std::string(1, c)));
    year = year || c == 'Y' || c == 'y' || c == 'F';
    month = month || c == 'm' || c == 'b' || c == 'B' || c == 'F';
    day = day || c == 'd' || c == 'e' || c == 'F';
    of_year = of_year || c == 'j';
  }
  if (for_reading && !(year && ((month && day) || of_year)))
    return "needs a year (%Y), a month (%m) and a day (%d)";
  return "";
}

bool has_offset(const std::string& format) {
  for (std::size_t k = 0; k + 1 < format.size(); ++k)
    if (format[k] == '%' && format[++k] == 'z') return true;
  return false;
}

namespace {

std::vector<std::int64_t> numbers_in(std::string_view text) {
  std::vector<std::int64_t> out;
  bool is_open = false;
  for (const char c : text) {
    const bool is_digit = c >= '0' && c <= '9';
    if (is_digit && !is_open) out.push_back(0);
    if (is_digit && out.back() < 100000000) out.back() = 10 * out.back() + (c - '0');
    is_open = is_digit;
  }
  return out;
}

// Whether a time, written in the format again, has the numbers of the text, beside a fraction: the library
// carries 61 minutes over into the next hour.
bool says_the_same(std::string_view text, const std::string& format, double local_seconds,
                   std::chrono::minutes offset) {
  std::ostringstream out;
  std::chrono::seconds in_seconds(offset);
  const std::string name = "UTC";
  date::to_stream(out, format.c_str(), date::local_seconds(whole_seconds(local_seconds).time_since_epoch()),
                  &name, &in_seconds);
  const auto given = numbers_in(text), written = numbers_in(out.str());
  std::size_t at = 0;
  for (const auto n : given)
    if (at < written.size() && written[at] == n) ++at;
  return at == written.size();
}

}  // namespace

std::optional<double> parse_time_as(std::string_view text, const std::string& format) {
  thread_local std::istringstream in;
  in.clear();
  in.str(std::string(trim(text)));
  date::fields<Microseconds> fields;
  std::chrono::minutes offset(0);
  std::string zone;
  date::from_stream(in, format.c_str(), fields, &zone, &offset);
  if (in.fail() || !fields.ymd.ok()) return std::nullopt;
  // Trailing text does not match the format.
  if (!in.eof() && in.peek() != std::istringstream::traits_type::eof()) return std::nullopt;
  const auto days = date::sys_days(fields.ymd).time_since_epoch();
  double seconds = 86400.0 * static_cast<double>(days.count());
  if (fields.has_tod) seconds += static_cast<double>(fields.tod.to_duration().count()) * 1e-6;
  if (fields.has_tod && !says_the_same(text, format, seconds, offset)) return std::nullopt;
  return seconds - 60.0 * static_cast<double>(offset.count());
}

std::string time_text_as(double seconds, const std::string& format, const TimeZone* zone) {
  if (!std::isfinite(seconds) || std::fabs(seconds) > kMostSeconds) return shortest(seconds);
  std::ostringstream out;
  std::chrono::seconds offset(0);
  std::string name = "UTC";
  if (zone) {
    const auto info = zone_of(*zone).get_info(whole_seconds(seconds));
    offset = info.offset;
    name = info.abbrev;
  }
  // Fractions in as many digits as there are, up to microseconds.
  const double fraction = seconds - std::floor(seconds);
  const auto write = [&](auto unit) {
    using Unit = decltype(unit);
    const auto local = date::local_time<Unit>(Unit(static_cast<std::int64_t>(
        std::llround((seconds + static_cast<double>(offset.count())) * Unit::period::den))));
    date::to_stream(out, format.c_str(), local, &name, &offset);
  };
  if (fraction == 0)
    write(std::chrono::seconds(0));
  else if (std::fabs(fraction * 1e3 - std::round(fraction * 1e3)) < 1e-4)
    write(std::chrono::milliseconds(0));
  else
    write(Microseconds(0));
  return out.str();
}

std::string guessed_date_format(std::string_view text) {
  // Groups of digits, and separators between them.
  std::vector<int> numbers;
  std::string marks;
  std::vector<std::size_t> digits;
  for (std::size_t k = 0; k < text.size();) {
    if (text[k] < '0' || text[k] > '9') {
      marks += text[k++];
      continue;
    }
    int value = 0;
    const auto begin = k;
    while (k < text.size() && text[k] >= '0' && text[k] <= '9' && k - begin < 6)
      value = value * 10 + (text[k++] - '0');
    numbers.push_back(value);
    digits.push_back(k - begin);
  }
  if (numbers.size() < 3 || digits.empty() || text.empty() || text[0] < '0' || text[0] > '9') return "";
  const char mark = marks.empty() ? '\0' : marks[0];
  if ((mark != '.' && mark != '/' && mark != '-') || marks.size() < 2 || marks[1] != mark) return "";
  std::string out;
  const auto is_day = [&](std::size_t k) { return numbers[k] >= 1 && numbers[k] <= 31 && digits[k] <= 2; };
  if (digits[0] == 4 && mark != '-' && is_day(1) && is_day(2))
    out = fmt::format("%Y{0}%m{0}%d", mark);
  else if (is_day(0) && is_day(1) && (digits[2] == 4 || digits[2] == 2))
    out = fmt::format("{1}{0}{2}{0}{3}", mark, numbers[1] > 12 ? "%m" : "%d", numbers[1] > 12 ? "%d" : "%m",
                      digits[2] == 4 ? "%Y" : "%y");
  else
    return "";
  const auto rest = marks.substr(2);
  if (numbers.size() == 5 && (rest == " :" || rest == "T:")) return out + rest[0] + "%H:%M";
  if (numbers.size() >= 6 && (rest.starts_with(" ::") || rest.starts_with("T::")))
    return out + rest[0] + "%H:%M:%S";
  return numbers.size() == 3 && rest.empty() ? out : "";
}

namespace {

// A number and a word.
std::optional<std::pair<double, std::string>> amount_and_unit(std::string_view given) {
  const auto text = trim(given);
  std::size_t end = 0;
  while (end < text.size() && (std::string_view("0123456789.").find(text[end]) != std::string_view::npos))
    ++end;
  const auto number = end == 0 ? std::optional(1.0) : parse_number(text.substr(0, end));
  auto unit = to_lower(trim(text.substr(end)));
  if (!number || !(*number > 0) || unit.empty()) return std::nullopt;
  if (unit.size() > 2 && unit.back() == 's') unit.pop_back();
  return std::pair(*number, unit);
}

}  // namespace

std::optional<double> parse_duration(std::string_view text) {
  const auto parts = amount_and_unit(text);
  if (!parts) return std::nullopt;
  constexpr std::array<std::pair<std::string_view, double>, 13> units = {{{"s", 1},
                                                                          {"second", 1},
                                                                          {"sec", 1},
                                                                          {"min", 60},
                                                                          {"minute", 60},
                                                                          {"h", 3600},
                                                                          {"hour", 3600},
                                                                          {"d", 86400},
                                                                          {"day", 86400},
                                                                          {"w", 604800},
                                                                          {"week", 604800},
                                                                          {"ms", 1e-3},
                                                                          {"millisecond", 1e-3}}};
  for (const auto& [name, seconds] : units)
    if (parts->second == name) return parts->first * seconds;
  return std::nullopt;
}

std::optional<int> parse_months(std::string_view text) {
  const auto parts = amount_and_unit(text);
  if (!parts || parts->first != std::floor(parts->first) || parts->first > 12000) return std::nullopt;
  const auto count = static_cast<int>(parts->first);
  if (parts->second == "month") return count;
  if (parts->second == "year" || parts->second == "y") return 12 * count;
  return std::nullopt;
}

double months_later(double seconds, int months) {
  const auto date = calendar_date(seconds);
  const double first = start_of_month(date.year, static_cast<int>(date.month) + months),
               next = start_of_month(date.year, static_cast<int>(date.month) + months + 1);
  const double day = std::min(static_cast<double>(date.day - 1), (next - first) / 86400 - 1);
  return first + day * 86400 + date.second_of_day;
}

}  // namespace quill
