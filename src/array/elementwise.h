// Elementwise operators and functions with broadcasting.
#pragma once

#include "array/array.h"
#include "array/view.h"
#include "base/operators.h"

namespace quill {

// An operand: an array, or a single number without storage.
struct Operand : View {
  bool literal = false;          // an integer literal, which takes the type of an integer operand beside it
  const Array* times = nullptr;  // the array if it holds timestamps, which are never narrowed
  Operand(const Array& a)        // NOLINT
      : View{a.type(), a.raw_data(), a.shape(), a.strides()}, times(holds_times(a) ? &a : nullptr) {}
  Operand(const double& number) : View{ElementType::float64, &number, {}, {}} {}  // NOLINT
  Operand(const bool& boolean) : View{ElementType::boolean, &boolean, {}, {}} {}  // NOLINT
  Operand(const std::string& text) : View{ElementType::text, &text, {}, {}} {}    // NOLINT
};

#define QUILL_NAME(name, ...) name,
enum class Binary : std::uint8_t {
  QUILL_ELEMENTWISE_OPERATORS(QUILL_NAME) QUILL_FUNCTIONS_OF_TWO(QUILL_NAME)
};
#undef QUILL_NAME

enum class Unary : std::uint8_t {
  negate,
  logical_not,
  abs,
  sign,
  sqrt,
  cbrt,
  exp,
  expm1,
  log,
  log2,
  log10,
  log1p,
  sin,
  cos,
  tan,
  asin,
  acos,
  atan,
  sinh,
  cosh,
  tanh,
  asinh,
  acosh,
  atanh,
  floor,
  ceil,
  round,
  truncate,
  sinc,
  gamma,
  log_gamma,
  erf,
  erfc,
  real,
  imag,
  conj,
  phase,
  is_nan,
  is_finite,
  is_inf,
};

// The operator or function as written: "+", "atan2", "sqrt".
std::string_view symbol_of(Binary op);
std::string_view name_of(Unary op);

// Set when a real function has no real result for a real argument, so that the result is nan: sqrt(-1),
// log(-2),
// (-8)^(1/3).
struct Domain {
  bool exceeded = false;
};

// The comparison with exchanged operands: b op' a equals a op b.
Binary mirrored(Binary comparison);

// Smallest element type that represents both. Throws Error if there is none.
ElementType common_type(ElementType a, ElementType b);
// The same for operands: an integer literal does not widen integers, and a single real number that is not a
// timestamp does not widen a float32 array; two single numbers give the wider type.
ElementType common_type(const Operand& a, const Operand& b);
// Type of a op b: common_type, except that `/` and functions are real, booleans count as int64, and uint8 -
// uint8 gives int32. Comparisons give bool.
ElementType result_type(Binary op, const Operand& a, const Operand& b);
// Type of f(a): float32 is kept; integers are kept where the result is an integer (abs, floor, …).
ElementType result_type(Unary op, ElementType a);
// Type of sums and products: int64 for bool and uint8.
ElementType sum_type(ElementType a);

// Throws ShapeMismatch, or Error if the types do not support the operation or an integer result overflows:
// integers never wrap.
Array apply(Binary op, const Operand& a, const Operand& b, Domain* domain = nullptr);
Array apply(Unary op, const Operand& a, Domain* domain = nullptr);

// `a op= b` in place. False if a shares its storage, the types are not float64, or b has a larger shape. Does
// not poll.
bool apply_in_place(Binary op, Array& a, const Operand& b);
// The same for float64 elements of any layout, to which the caller has sole access.
bool update(Binary op, double* elements, const Shape& shape, const Strides& strides, const Operand& b);

// The same for single real numbers.
double apply(Binary op, double a, double b);
double apply(Unary op, double a);
// Floored remainder: has the sign of the divisor.
double remainder_of_any(double a, double b);
inline double remainder_of(double a, double b) {
  // Fast path for positive integers, the common case.
  if (a >= 1 && a < 0x1p31 && b >= 1 && b < 0x1p31) {
    const auto x = static_cast<std::uint32_t>(a), y = static_cast<std::uint32_t>(b);
    if (x == a && y == b) return x % y;
  }
  return remainder_of_any(a, b);
}

// re + i im. Keeps signs of real parts, also of zeros.
Array complex_from(const Array& re, const Array& im);
// Elements of a where the mask is true, of b elsewhere; all three broadcast.
Array pick(const Operand& mask, const Operand& a, const Operand& b);

}  // namespace quill
