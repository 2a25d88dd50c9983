// Operators and functions of the language for single numbers. Used by array loops, in-place updates, the
// machine's fast paths and constant folding.
#pragma once

#include <cmath>
#include <limits>
#include <numbers>
#include <stdexcept>
#include <type_traits>

#include "array/elementwise.h"
#include "array/integers.h"
#include "array/mathematics.h"
#include "array/special.h"

namespace quill::scalar {

// -- operators. Integer overflow is checked; each applies to the types named by `kReal`, `kInteger` and
// `kComplex`.

struct Add {
  static constexpr bool kReal = true, kInteger = true, kComplex = true, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_integral_v<T>)
      return checked_add(a, b);
    else
      return a + b;
  }
};
struct Subtract {
  static constexpr bool kReal = true, kInteger = true, kComplex = true, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_integral_v<T>)
      return checked_subtract(a, b);
    else
      return a - b;
  }
};
struct Multiply {
  static constexpr bool kReal = true, kInteger = true, kComplex = true, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_integral_v<T>)
      return checked_multiply(a, b);
    else
      return a * b;
  }
};
struct Divide {
  static constexpr bool kReal = true, kInteger = false, kComplex = true, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    return a / b;
  }
};
struct Remainder {
  static constexpr bool kReal = true, kInteger = true, kComplex = false, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_integral_v<T>)
      return checked_remainder(a, b);
    else
      return static_cast<T>(remainder_of(a, b));
  }
};
// Integer powers are products, exact for small integers; the power 0 gives 1.
inline Complex complex_power(Complex a, Complex b) {
  constexpr double most = 1024;
  if (b.imag() == 0 && std::fabs(b.real()) <= most && std::trunc(b.real()) == b.real()) {
    Complex product = 1, square = a;
    for (int n = std::abs(static_cast<int>(b.real())); n > 0; n /= 2) {
      if (n % 2) product *= square;
      if (n > 1) square *= square;
    }
    return b.real() < 0 ? 1.0 / product : product;
  }
  return a == 0.0 && b.real() > 0 ? Complex(0) : std::pow(a, b);
}
struct Power {
  static constexpr bool kReal = true, kInteger = true, kComplex = true, kLimited = true;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_integral_v<T>)
      return checked_power(a, b);
    else if constexpr (std::is_same_v<T, Complex>)
      return complex_power(a, b);
    else
      return b == 2 ? a * a
                    : static_cast<T>(mathematics::power(static_cast<double>(a), static_cast<double>(b)));
  }
};
struct Minimum {
  static constexpr bool kReal = true, kInteger = true, kComplex = false, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_floating_point_v<T>)
      return std::isnan(a) || a < b ? a : b;
    else
      return a < b ? a : b;
  }
};
struct Maximum {
  static constexpr bool kReal = true, kInteger = true, kComplex = false, kLimited = false;
  template <class T>
  T operator()(const T& a, const T& b) const {
    if constexpr (std::is_floating_point_v<T>)
      return std::isnan(a) || a > b ? a : b;
    else
      return a > b ? a : b;
  }
};

// Functions of two real numbers; those marked limited have no real result for some arguments.
#define QUILL_REAL_FUNCTION_OF_TWO(Name, limited, expression)                                   \
  struct Name {                                                                                 \
    static constexpr bool kReal = true, kInteger = false, kComplex = false, kLimited = limited; \
    template <class T>                                                                          \
    T operator()(const T& a, const T& b) const {                                                \
      const auto x = static_cast<double>(a), y = static_cast<double>(b);                        \
      return static_cast<T>(expression);                                                        \
    }                                                                                           \
  };
QUILL_REAL_FUNCTION_OF_TWO(Atan2, false, std::atan2(x, y))
QUILL_REAL_FUNCTION_OF_TWO(Hypot, false, std::hypot(x, y))
QUILL_REAL_FUNCTION_OF_TWO(Beta, true, beta(x, y))
QUILL_REAL_FUNCTION_OF_TWO(BesselJ, true, bessel_j(x, y))
QUILL_REAL_FUNCTION_OF_TWO(BesselY, true, bessel_y(x, y))
#undef QUILL_REAL_FUNCTION_OF_TWO

// Comparisons and boolean operators.
#define QUILL_COMPARISON(Name, sign)                \
  struct Name {                                     \
    template <class T>                              \
    bool operator()(const T& a, const T& b) const { \
      return a sign b;                              \
    }                                               \
  };
QUILL_COMPARISON(Equal, ==)
QUILL_COMPARISON(NotEqual, !=)
QUILL_COMPARISON(Less, <)
QUILL_COMPARISON(LessEqual, <=)
QUILL_COMPARISON(Greater, >)
QUILL_COMPARISON(GreaterEqual, >=)
QUILL_COMPARISON(And, &&)
QUILL_COMPARISON(Or, ||)
#undef QUILL_COMPARISON

[[noreturn]] void fail_operation();  // elementwise.cpp

// f(Add{}), f(Subtract{}), f(Multiply{}) or f(Divide{}).
inline bool is_basic(Binary op) { return op <= Binary::divide; }
template <class F>
decltype(auto) with_basic(Binary op, F&& f) {
  switch (op) {
    case Binary::add: return f(Add{});
    case Binary::subtract: return f(Subtract{});
    case Binary::multiply: return f(Multiply{});
    case Binary::divide: return f(Divide{});
    default: fail_operation();
  }
}

// Calls f with the functor of an arithmetic operator or function of two numbers.
template <class F>
decltype(auto) with_arithmetic(Binary op, F&& f) {
  switch (op) {
#define QUILL_CASE(name, functor, ...) \
  case Binary::name: return f(functor{});
    QUILL_ARITHMETIC_OPERATORS(QUILL_CASE)
    QUILL_FUNCTIONS_OF_TWO(QUILL_CASE)
    default: fail_operation();
  }
}

template <class F>
decltype(auto) with_comparison(Binary op, F&& f) {
  switch (op) {
    QUILL_COMPARISON_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
    default: fail_operation();
  }
}

// -- functions of one real number

// sin(pi x)/(pi x), 1 at 0; reduces the argument first, so integers give exactly 0.
inline double sinc(double x) {
  if (x == 0) return 1;
  if (std::isinf(x)) return 0;
  double r = std::fmod(std::fabs(x), 2.0);
  double sign = 1;
  if (r >= 1) {
    r -= 1;
    sign = -1;
  }
  if (r > 0.5) r = 1 - r;
  return sign * mathematics::sin(std::numbers::pi * r) / (std::numbers::pi * std::fabs(x));
}

struct Negate {
  template <class T>
  T operator()(const T& x) const {
    if constexpr (std::is_integral_v<T>)
      return checked_subtract<T>(0, x);
    else
      return -x;
  }
};
struct Abs {
  template <class T>
  T operator()(const T& x) const {
    if constexpr (std::is_integral_v<T>)
      return x < 0 ? checked_subtract<T>(0, x) : x;
    else
      return std::fabs(x);
  }
};

// Columns: name, whether it has no real result for some arguments, value for a double x.
#define QUILL_REAL_FUNCTIONS(ROW)                  \
  ROW(sqrt, true, std::sqrt(x))                    \
  ROW(cbrt, false, mathematics::cbrt(x))           \
  ROW(exp, false, mathematics::exp(x))             \
  ROW(expm1, false, mathematics::expm1(x))         \
  ROW(log, true, mathematics::log(x))              \
  ROW(log2, true, mathematics::log2(x))            \
  ROW(log10, true, mathematics::log10(x))          \
  ROW(log1p, true, mathematics::log1p(x))          \
  ROW(sin, false, mathematics::sin(x))             \
  ROW(cos, false, mathematics::cos(x))             \
  ROW(tan, false, mathematics::tan(x))             \
  ROW(asin, true, mathematics::asin(x))            \
  ROW(acos, true, mathematics::acos(x))            \
  ROW(atan, false, mathematics::atan(x))           \
  ROW(sinh, false, mathematics::sinh(x))           \
  ROW(cosh, false, mathematics::cosh(x))           \
  ROW(tanh, false, mathematics::tanh(x))           \
  ROW(asinh, false, mathematics::asinh(x))         \
  ROW(acosh, true, mathematics::acosh(x))          \
  ROW(atanh, true, mathematics::atanh(x))          \
  ROW(sinc, false, scalar::sinc(x))                \
  ROW(gamma, true, mathematics::gamma(x))          \
  ROW(log_gamma, false, mathematics::log_gamma(x)) \
  ROW(erf, false, mathematics::erf(x))             \
  ROW(erfc, false, mathematics::erfc(x))           \
  ROW(sign, false, x > 0 ? 1.0 : x < 0 ? -1.0 : x) \
  ROW(floor, false, std::floor(x))                 \
  ROW(ceil, false, std::ceil(x))                   \
  ROW(round, false, std::round(x))                 \
  ROW(truncate, false, std::trunc(x))              \
  ROW(abs, false, Abs{}(x))                        \
  ROW(negate, false, Negate{}(x))                  \
  ROW(real, false, x)                              \
  ROW(conj, false, x)                              \
  ROW(imag, false, std::isnan(x) ? x : 0.0)        \
  ROW(phase, false, x < 0 ? std::numbers::pi : std::isnan(x) ? x : 0.0)

// A function of real numbers; null if the result is boolean.
struct RealFunction {
  double (*f)(double) = nullptr;
  bool limited = false;
};
constexpr RealFunction real_function(Unary op) {
  switch (op) {
#define QUILL_ROW(name, limited, expression) \
  case Unary::name: return {[](double x) -> double { return expression; }, limited};
    QUILL_REAL_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW
    case Unary::logical_not:
    case Unary::is_nan:
    case Unary::is_finite:
    case Unary::is_inf: return {};
  }
  fail_operation();
}

// A function of a complex number with a complex value; null for -z and conj(z), which are computed in place,
// and for functions with other values.
using ComplexFunction = Complex (*)(Complex);
ComplexFunction complex_function(Unary op);

}  // namespace quill::scalar
