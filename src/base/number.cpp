#include "base/number.h"

#include <fmt/compile.h>
#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>

namespace quill {

namespace {

// Whether a decimal number is below 1 in magnitude, by its first nonzero digit and its exponent.
bool is_below_one(std::string_view text) {
  const auto e = text.find_first_of("eE");
  const auto digits = text.substr(0, e);
  const auto first = digits.find_first_of("123456789");
  if (first == digits.npos) return true;
  const auto point = std::min(digits.find('.'), digits.size());
  const double place = static_cast<double>(point) - static_cast<double>(first) - (first < point ? 1 : 0);
  double exponent = 0;
  if (e != text.npos) {
    const bool is_negative = text[e + 1] == '-';
    for (const char c : text.substr(e + 1))
      if (c >= '0' && c <= '9') exponent = exponent * 10 + (c - '0');
    if (is_negative) exponent = -exponent;
  }
  return place + exponent < 0;
}

}  // namespace

std::optional<double> parse_number(std::string_view text) {
  double value = 0;
  if (!text.empty() && text[0] == '+' && text.size() > 1 && text[1] != '-') text.remove_prefix(1);
  const auto result = std::from_chars(text.data(), text.data() + text.size(), value);
  if (result.ptr != text.data() + text.size() || text.empty()) return std::nullopt;
  if (result.ec == std::errc::result_out_of_range) {
    // Too small becomes zero, too large infinity, as rounding to nearest does.
    const double size = is_below_one(text) ? 0.0 : HUGE_VAL;
    return text[0] == '-' ? -size : size;
  }
  if (result.ec != std::errc()) return std::nullopt;
  return value;
}

bool is_whole(double value) { return std::isfinite(value) && std::trunc(value) == value; }

namespace {

// 1.5e-07 as 1.5e-7
std::string tidy_exponent(std::string text) {
  const auto e = text.find('e');
  if (e == std::string::npos) return text;
  const bool negative = e + 1 < text.size() && text[e + 1] == '-';
  auto digits = text.substr(e + 1);
  if (!digits.empty() && (digits[0] == '-' || digits[0] == '+')) digits.erase(0, 1);
  digits.erase(0, std::min(digits.find_first_not_of('0'), digits.size() - 1));
  return text.substr(0, e + 1) + (negative ? "-" : "") + digits;
}

}  // namespace

std::string shortest(double value) {
  if (std::isnan(value)) return "nan";
  if (std::isinf(value)) return value < 0 ? "-inf" : "inf";
  if (value == 0) return std::signbit(value) ? "-0" : "0";
  if (is_whole(value) && std::fabs(value) < 1e15) return fmt::format("{:.0f}", value);
  return tidy_exponent(fmt::format("{}", value));
}

void append_shortest(std::string& out, double value) {
  if (!std::isfinite(value) || value == 0) {
    out += shortest(value);
    return;
  }
  char text[48];
  if (is_whole(value) && std::fabs(value) < 1e15) {
    out.append(text, std::to_chars(text, text + sizeof text, static_cast<std::int64_t>(value)).ptr);
    return;
  }
  const std::string_view shown(
      text, static_cast<std::size_t>(fmt::format_to(text, FMT_COMPILE("{}"), value) - text));
  if (shown.find('e') == shown.npos)
    out += shown;
  else
    out += tidy_exponent(std::string(shown));
}

std::string shortest_single(float value) {
  if (!std::isfinite(value) || value == 0 || is_whole(value)) return shortest(static_cast<double>(value));
  return tidy_exponent(fmt::format("{}", value));
}

std::string with_digits(double value, int digits) {
  if (!std::isfinite(value) || value == 0) return value == 0 ? "0" : shortest(value);
  if (is_whole(value) && std::fabs(value) < 1e15) return fmt::format("{:.0f}", value);
  return tidy_exponent(fmt::format("{:.{}g}", value, digits));
}

std::string with_uncertainty(double value, double uncertainty) {
  constexpr int digits = 2, most = 17;
  const auto plain = [&] {
    return fmt::format("{} ± {}", with_digits(value, 5), with_digits(uncertainty, 2));
  };
  if (!std::isfinite(value) || !std::isfinite(uncertainty) || uncertainty <= 0) return plain();
  // Rounded first: 0.0996 has its digits where 0.10 has them.
  const double rounded = std::stod(fmt::format("{:.1e}", uncertainty));
  const int place = static_cast<int>(std::floor(std::log10(rounded))) - digits + 1;  // of the last digit
  const int size = value == 0 ? place : static_cast<int>(std::floor(std::log10(std::fabs(value))));
  if (size - place + 1 > most) return plain();
  // As with_digits, small and large numbers have an exponent.
  constexpr int smallest = -5, largest = 6;
  const int leading = std::max(size, place + digits - 1);
  if (leading >= smallest && leading < largest && place <= 0)
    return fmt::format("{:.{}f} ± {:.{}f}", value, -place, rounded, -place);
  if (leading >= smallest && leading < largest)
    return fmt::format("{:.0f} ± {:.0f}", std::round(value / std::pow(10, place)) * std::pow(10, place),
                       rounded);
  const double unit = std::pow(10, leading);
  return fmt::format("({:.{}f} ± {:.{}f})e{}", value / unit, leading - place, rounded / unit, leading - place,
                     leading);
}

std::string bytes_in_prose(double bytes) {
  constexpr std::array<const char*, 6> units = {"bytes", "kB", "MB", "GB", "TB", "PB"};
  std::size_t unit = 0;
  while (bytes >= 1000 && unit + 1 < units.size()) {
    bytes /= 1000;
    ++unit;
  }
  return unit == 0 ? fmt::format("{:.0f} {}", bytes, units[unit])
                   : fmt::format("{:.1f} {}", bytes, units[unit]);
}

std::string grouped(Index value) {
  auto digits = std::to_string(value);
  const std::size_t stop = digits[0] == '-' ? 1 : 0;
  for (auto i = static_cast<std::ptrdiff_t>(digits.size()) - 3; i > static_cast<std::ptrdiff_t>(stop); i -= 3)
    digits.insert(digits.begin() + i, ' ');
  return digits;
}

}  // namespace quill
