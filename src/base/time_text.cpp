#include "base/time_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <cstdint>

#include "base/number.h"
#include "base/text.h"

namespace quill {

namespace {

constexpr double kDay = 86400;
// The years of four figures.
constexpr double kFirstSecond = -62167219200.0, kEnd = 253402300800.0;
// The years that the calendar of the standard library has.
constexpr double kFirstOfCalendar = -1e12, kEndOfCalendar = 9.7e11;

// Reads exactly `digits` figures.
std::optional<int> whole(std::string_view text, std::size_t& at, std::size_t digits) {
  if (at + digits > text.size()) return std::nullopt;
  int value = 0;
  for (std::size_t k = 0; k < digits; ++k) {
    const char c = text[at + k];
    if (c < '0' || c > '9') return std::nullopt;
    value = value * 10 + (c - '0');
  }
  at += digits;
  return value;
}

bool take(std::string_view text, std::size_t& at, char c) {
  if (at >= text.size() || text[at] != c) return false;
  ++at;
  return true;
}

// hh:mm, hh:mm:ss or hh:mm:ss.fff in seconds.
std::optional<double> time_of_day(std::string_view text, std::size_t& at) {
  const auto hour = whole(text, at, 2);
  if (!hour || *hour > 24 || !take(text, at, ':')) return std::nullopt;
  const auto minute = whole(text, at, 2);
  if (!minute || *minute > 59) return std::nullopt;
  double second = 0;
  if (take(text, at, ':')) {
    const auto whole_seconds = whole(text, at, 2);
    if (!whole_seconds || *whole_seconds > 59) return std::nullopt;
    second = *whole_seconds;
    if (at < text.size() && (text[at] == '.' || text[at] == ',')) {
      auto end = at + 1;
      while (end < text.size() && text[end] >= '0' && text[end] <= '9') ++end;
      const auto fraction = parse_number("0." + std::string(text.substr(at + 1, end - at - 1)));
      if (end == at + 1 || !fraction) return std::nullopt;
      second += *fraction;
      at = end;
    }
  }
  const double all = *hour * 3600.0 + *minute * 60.0 + second;
  return all <= kDay ? std::optional(all) : std::nullopt;
}

// Z, ±hh, ±hhmm or ±hh:mm, in seconds to take off; 0 without one.
std::optional<double> zone(std::string_view text, std::size_t& at) {
  if (take(text, at, 'Z') || at == text.size()) return 0;
  const char sign = text[at++];
  if (sign != '+' && sign != '-') return std::nullopt;
  const auto hours = whole(text, at, 2);
  if (!hours || *hours > 23) return std::nullopt;
  int minutes = 0;
  if (at < text.size()) {
    take(text, at, ':');
    const auto given = whole(text, at, 2);
    if (!given || *given > 59) return std::nullopt;
    minutes = *given;
  }
  const double all = *hours * 3600.0 + minutes * 60.0;
  return sign == '-' ? -all : all;
}

}  // namespace

std::optional<double> parse_time(std::string_view given) {
  using namespace std::chrono;
  const auto text = trim(given);
  std::size_t at = 0;
  const auto year_number = whole(text, at, 4);
  if (!year_number || !take(text, at, '-')) return std::nullopt;
  const auto month_number = whole(text, at, 2);
  if (!month_number || !take(text, at, '-')) return std::nullopt;
  const auto day_number = whole(text, at, 2);
  if (!day_number) return std::nullopt;
  const year_month_day date{year{*year_number}, month{static_cast<unsigned>(*month_number)},
                            day{static_cast<unsigned>(*day_number)}};
  if (!date.ok()) return std::nullopt;
  double seconds = kDay * static_cast<double>(sys_days{date}.time_since_epoch().count());
  if (at == text.size()) return seconds;
  if (text[at] != 'T' && text[at] != ' ') return std::nullopt;
  ++at;
  const auto clock = time_of_day(text, at);
  if (!clock) return std::nullopt;
  const auto offset = zone(text, at);
  if (!offset || at != text.size()) return std::nullopt;
  return seconds + *clock - *offset;
}

CalendarDate calendar_date(double seconds) {
  using namespace std::chrono;
  seconds = std::isnan(seconds) ? 0 : std::clamp(seconds, kFirstOfCalendar, kEndOfCalendar);
  const double days_since = std::floor(seconds / kDay);
  const year_month_day date{sys_days{days{static_cast<int>(days_since)}}};
  return {static_cast<int>(date.year()), static_cast<unsigned>(date.month()),
          static_cast<unsigned>(date.day()), seconds - days_since * kDay};
}

double start_of_month(int year_number, int month_number) {
  using namespace std::chrono;
  const int before = month_number - 1;
  const int years_on = before >= 0 ? before / 12 : -((11 - before) / 12);
  const auto month_of_year = static_cast<unsigned>(before - 12 * years_on) + 1;
  const year_month_day date{year{year_number + years_on}, month{month_of_year}, day{1}};
  return kDay * static_cast<double>(sys_days{date}.time_since_epoch().count());
}

std::string time_text(double seconds) {
  if (!(seconds >= kFirstSecond && seconds < kEnd - 1e-3)) return shortest(seconds);
  // Microseconds, about the precision of float64 for present times.
  const auto date = calendar_date(std::round(seconds * 1e6) / 1e6);
  const auto micro = static_cast<std::int64_t>(std::round(date.second_of_day * 1e6));
  const auto second = static_cast<int>(micro / 1000000), fraction = static_cast<int>(micro % 1000000);
  std::array<char, 32> text;
  char* end = text.data();
  const auto add = [&](char mark, int number, int figures) {
    if (mark != '\0') *end++ = mark;
    for (int k = figures - 1; k >= 0; --k, number /= 10) end[k] = static_cast<char>('0' + number % 10);
    end += figures;
  };
  add('\0', date.year, 4);
  add('-', static_cast<int>(date.month), 2);
  add('-', static_cast<int>(date.day), 2);
  if (micro != 0) {
    add('T', second / 3600, 2);
    add(':', second / 60 % 60, 2);
    if (second % 60 != 0 || fraction != 0) add(':', second % 60, 2);
    if (fraction != 0) {
      add('.', fraction, 6);
      while (end[-1] == '0') --end;
    }
  }
  return {text.data(), end};
}

std::string_view month_name(unsigned month) {
  constexpr std::array<std::string_view, 12> names = {"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                                                      "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};
  return names.at(month - 1);
}

std::string duration_in_prose(double seconds) {
  if (seconds >= 60) {
    const double whole = std::round(seconds);
    return fmt::format("{:.0f} min {:.0f} s", std::floor(whole / 60), std::fmod(whole, 60));
  }
  const auto three_digits = [](double x) {
    return x >= 99.95   ? fmt::format("{:.0f}", x)
           : x >= 9.995 ? fmt::format("{:.1f}", x)
                        : fmt::format("{:.2f}", x);
  };
  if (seconds >= 1) return three_digits(seconds) + " s";
  if (seconds >= 1e-3) return three_digits(seconds * 1e3) + " ms";
  return three_digits(seconds * 1e6) + " µs";
}

}  // namespace quill
