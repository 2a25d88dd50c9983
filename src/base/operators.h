// Tables of elementwise binary operators and functions of two numbers, one row each. Used by every layer:
// tokens and binding powers (language/token.h), enumerators, symbols and functors (array), operations and
// their names in dumps (compiler), fast paths (engine).
#pragma once

// Columns: enumerator of Binary and Op, also its name in dumps; functor in array/scalar.h; token with
// spelling and left and right binding powers. Each has a compound assignment with the token assign_….
#define QUILL_ARITHMETIC_OPERATORS(ROW)                         \
  ROW(add, Add, plus, "+", power::sum, 51)                      \
  ROW(subtract, Subtract, minus, "-", power::sum, 51)           \
  ROW(multiply, Multiply, times, "*", power::product, 61)       \
  ROW(divide, Divide, divide, "/", power::product, 61)          \
  ROW(remainder, Remainder, remainder, "%", power::product, 61) \
  ROW(power, Power, power, "^", 81, 80)

#define QUILL_COMPARISON_OPERATORS(ROW)                               \
  ROW(equal, Equal, equal, "==", power::comparison, 31)               \
  ROW(not_equal, NotEqual, not_equal, "!=", power::comparison, 31)    \
  ROW(less, Less, less, "<", power::comparison, 31)                   \
  ROW(less_equal, LessEqual, less_equal, "<=", power::comparison, 31) \
  ROW(greater, Greater, greater, ">", power::comparison, 31)          \
  ROW(greater_equal, GreaterEqual, greater_equal, ">=", power::comparison, 31)

// Operators of booleans; their tokens are keywords.
#define QUILL_LOGICAL_OPERATORS(ROW)           \
  ROW(logical_and, And, kw_and, "and", 20, 21) \
  ROW(logical_or, Or, kw_or, "or", 10, 11)

#define QUILL_ELEMENTWISE_OPERATORS(ROW) \
  QUILL_ARITHMETIC_OPERATORS(ROW)        \
  QUILL_COMPARISON_OPERATORS(ROW)        \
  QUILL_LOGICAL_OPERATORS(ROW)

// Functions of two numbers, called by name. limited: the result may not be real for some arguments; it is
// then nan, with a warning.
#define QUILL_FUNCTIONS_OF_TWO(ROW)        \
  ROW(minimum, Minimum, "min", false)      \
  ROW(maximum, Maximum, "max", false)      \
  ROW(atan2, Atan2, "atan2", false)        \
  ROW(hypot, Hypot, "hypot", false)        \
  ROW(beta, Beta, "beta", true)            \
  ROW(bessel_j, BesselJ, "bessel_j", true) \
  ROW(bessel_y, BesselY, "bessel_y", true)
