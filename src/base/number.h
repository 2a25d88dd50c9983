// Numbers to and from text, and size arithmetic that cannot wrap.
#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <string_view>

namespace quill {

using Index = std::int64_t;  // sizes, positions and strides of arrays

// Up to here float64 holds every integer.
inline constexpr double kLargestExact = 9007199254740992;
// The first number beyond int64.
inline constexpr double kEndOfInt64 = 0x1p63;

// The whole text as a number ("nan" and "inf" in any case are numbers too), or nothing.
std::optional<double> parse_number(std::string_view text);

// The shortest text that reads back to the same number: 0.1, 3, 1e-9, nan, inf.
std::string shortest(double value);
// The same behind a text, without making one in between.
void append_shortest(std::string& out, double value);
std::string shortest_single(float value);  // for float32
// `value` with so many significant digits; integers below 10^15 keep all their digits.
std::string with_digits(double value, int digits);
// "7.900 ± 0.084": the uncertainty with two digits, and the value down to the same place.
std::string with_uncertainty(double value, double uncertainty);
// What an integer is above the nearest one of float64. Always inlined, since it is compiled for several
// instruction sets.
[[gnu::always_inline]] inline std::int64_t rest_beyond_nearest(std::int64_t n) {
  const auto nearest = static_cast<double>(n);
  const auto back =
      nearest == kEndOfInt64 ? std::numeric_limits<std::int64_t>::min() : static_cast<std::int64_t>(nearest);
  return static_cast<std::int64_t>(static_cast<std::uint64_t>(n) - static_cast<std::uint64_t>(back));
}
bool is_whole(double value);

// The product, or nothing when it does not fit.
inline std::optional<Index> checked_product(Index a, Index b) {
  Index out = 0;
  return __builtin_mul_overflow(a, b, &out) ? std::nullopt : std::optional(out);
}
// "512 bytes", "3.1 MB"
std::string bytes_in_prose(double bytes);
// 1234567 as "1 234 567" for prose
std::string grouped(Index value);

}  // namespace quill
