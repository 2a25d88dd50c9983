// Conversion of numbers from and to text, and size arithmetic with overflow checks.
#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <string_view>

namespace quill {

using Index = std::int64_t;  // sizes, indices and strides of arrays

// float64 represents all integers up to this one.
inline constexpr double kLargestExact = 9007199254740992;
// Smallest power of two above int64.
inline constexpr double kEndOfInt64 = 0x1p63;

// The number that the whole text represents, including "nan" and "inf" in any case; nothing for other texts.
std::optional<double> parse_number(std::string_view text);

// The shortest text that reads back to the same number: 0.1, 3, 1e-9, nan, inf.
std::string shortest(double value);
// Appends the same text without a temporary.
void append_shortest(std::string& out, double value);
std::string shortest_single(float value);  // for float32
// `value` with this many significant digits; integers below 10^15 keep all their digits.
std::string with_digits(double value, int digits);
// "7.900 ± 0.084": the uncertainty with two digits, the value to the same decimal place.
std::string with_uncertainty(double value, double uncertainty);
// Difference between an integer and its nearest float64. Always inlined, since it is compiled for several
// instruction sets.
[[gnu::always_inline]] inline std::int64_t rest_beyond_nearest(std::int64_t n) {
  const auto nearest = static_cast<double>(n);
  const auto back =
      nearest == kEndOfInt64 ? std::numeric_limits<std::int64_t>::min() : static_cast<std::int64_t>(nearest);
  return static_cast<std::int64_t>(static_cast<std::uint64_t>(n) - static_cast<std::uint64_t>(back));
}
bool is_whole(double value);

// The product; nothing on overflow.
inline std::optional<Index> checked_product(Index a, Index b) {
  Index out = 0;
  return __builtin_mul_overflow(a, b, &out) ? std::nullopt : std::optional(out);
}
// "512 bytes", "3.1 MB"
std::string bytes_in_prose(double bytes);
// 1234567 as "1 234 567"
std::string grouped(Index value);

}  // namespace quill
