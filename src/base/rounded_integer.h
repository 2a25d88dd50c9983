// Integers that a number of type float64 does not hold.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <string_view>

namespace quill {

// Whether `text`, decimal digits after an optional sign, is an integer other than `read`, the number that was
// read from it.
inline bool is_rounded_integer(std::string_view text, double read) {
  constexpr double exact = 9007199254740992.0;
  if (!(std::fabs(read) >= exact) || std::isinf(read)) return false;
  if (text.starts_with('-') || text.starts_with('+')) text.remove_prefix(1);
  const auto leading = text.find_first_not_of('0');
  if (leading == text.npos || text.find_first_not_of("0123456789") != text.npos) return false;
  return fmt::format("{:.0f}", std::fabs(read)) != text.substr(leading);
}

}  // namespace quill
