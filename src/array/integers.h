// Integer arithmetic with overflow checks: results that do not fit throw an Error with the numbers.
#pragma once

#include <fmt/format.h>

#include <string_view>

#include "array/element.h"
#include "base/error.h"

namespace quill {

template <class T>
[[noreturn]] void fail_overflow(T a, std::string_view sign, T b) {
  fail(fmt::format("integer overflow: {} {} {} does not fit {}", +a, sign, +b, name_of(type_of<T>)),
       std::is_same_v<T, std::int64_t>
           ? "float64(a) calculates with rounding"
           : "int64(a) holds larger numbers, float64(a) calculates with rounding");
}

template <class T>
T checked_add(T a, T b) {
  T out;
  if (__builtin_add_overflow(a, b, &out)) [[unlikely]]
    fail_overflow(a, "+", b);
  return out;
}
template <class T>
T checked_subtract(T a, T b) {
  T out;
  if (__builtin_sub_overflow(a, b, &out)) [[unlikely]]
    fail_overflow(a, "-", b);
  return out;
}
template <class T>
T checked_multiply(T a, T b) {
  T out;
  if (__builtin_mul_overflow(a, b, &out)) [[unlikely]]
    fail_overflow(a, "*", b);
  return out;
}

// Floored remainder: has the sign of the divisor.
template <class T>
T checked_remainder(T a, T b) {
  if (b == 0) fail("the remainder of a division by the integer 0 is undefined", "float64(a) % 0 is nan");
  if constexpr (std::is_signed_v<T>) {
    if (b == -1) return 0;  // the smallest integer has no quotient by -1
    const T r = static_cast<T>(a % b);
    return r != 0 && (r < 0) != (b < 0) ? static_cast<T>(r + b) : r;
  } else {
    return static_cast<T>(a % b);
  }
}

// checked_remainder for a fixed positive divisor: multiplies by its reciprocal instead of dividing.
template <class T>
class RemainderBy {
 public:
  explicit RemainderBy(T divisor)
      : divisor_(static_cast<std::uint64_t>(divisor)), reciprocal_(~std::uint64_t{0} / divisor_) {}
  T operator()(T a, T /*divisor*/) const {
    // Negative numbers are processed as their complement, -a - 1.
    const bool is_negative = a < 0;
    const auto u = static_cast<std::uint64_t>(static_cast<std::int64_t>(is_negative ? ~a : a));
    const auto quotient = static_cast<std::uint64_t>((static_cast<Wide>(u) * reciprocal_) >> 64);
    auto rest = u - quotient * divisor_;  // the quotient may be 1 too small
    rest -= rest >= divisor_ ? divisor_ : 0;
    return static_cast<T>(is_negative ? divisor_ - 1 - rest : rest);
  }

 private:
  __extension__ using Wide = unsigned __int128;
  std::uint64_t divisor_, reciprocal_;
};

// Repeated squaring.
template <class T>
T checked_power(T base, T exponent) {
  if constexpr (std::is_signed_v<T>)
    if (exponent < 0)
      fail(fmt::format("{} ^ {} is not an integer", +base, +exponent), "float64(a) ^ b has fractions");
  T out = 1, square = base;
  for (T left = exponent; left > 0;) {
    T next;
    if (left % 2 && __builtin_mul_overflow(out, square, &out)) fail_overflow(base, "^", exponent);
    left = static_cast<T>(left / 2);
    if (left > 0 && __builtin_mul_overflow(square, square, &next)) fail_overflow(base, "^", exponent);
    if (left > 0) square = next;
  }
  return out;
}

}  // namespace quill
