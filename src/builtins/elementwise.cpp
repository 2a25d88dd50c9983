// Functions that act on every element.
#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "array/elementwise.h"
#include "builtins/tables.h"

namespace quill {

std::vector<Builtin> constant_rows() {
  const auto row = [](std::string_view name, std::string_view summary, double value, std::string_view example,
                      std::string_view output) {
    Builtin b{};
    b.name = name;
    b.family = "constants";
    b.summary = summary;
    b.returns = "a number";
    b.example = example;
    b.output = output;
    b.constant = value;
    return b;
  };
  return {
      row("pi", "Ratio of the circumference of a circle to its diameter.", std::numbers::pi, "cos(pi)",
          "cos(pi) = -1"),
      row("π", "Ratio of the circumference of a circle to its diameter; another spelling of pi.",
          std::numbers::pi, "π == pi", "π == pi = true"),
      row("inf", "Infinity: greater than every number.", INFINITY, "1 / 0 == inf", "1 / 0 == inf = true"),
      row("nan",
          "Not a number: an undefined or missing value. It is not equal to anything, including itself.", NAN,
          "is_nan(0 / 0)", "is_nan(0 / 0) = true"),
  };
}

namespace {

Builtin unary_row(Unary op, std::string_view summary, std::string_view returns, std::string_view example,
                  std::string_view output, std::string_view source = "") {
  Builtin b{};
  b.name = name_of(op);
  b.family = "elementwise";
  b.summary = summary;
  b.parameters = {{"x", "array of numbers, any shape", ""}};
  b.returns = returns;
  b.example = example;
  b.output = output;
  b.source = source;
  b.unary = op;
  return b;
}

constexpr std::string_view kSameShape = "array of the shape of x";
constexpr std::string_view kRealDomain =
    "array of the shape of x; nan, with a warning, where the result for a real x would not be real";

Value two_arguments(Call& call, Binary op) {
  if (call.value(0).is_number() && call.value(1).is_number()) {
    const double x = call.value(0).number(), y = call.value(1).number(), result = apply(op, x, y);
    if (!std::isnan(result) || std::isnan(x) || std::isnan(y)) return {result};
  }
  Array a, b;
  Domain domain;
  auto out = apply(op, call.operand(0, a), call.operand(1, b), &domain);
  if (domain.exceeded)
    call.warn(fmt::format("the result of {} is not real for some elements, which became nan", call.row.name));
  return Value::array(std::move(out));
}

constexpr Index kMostDecimals = 300;

// x times a power of ten, rounded and divided again, is the nearest number with that decimal notation.
double rounded(double v, Index digits, double unit) {
  const double scaled = digits > 0 ? v * unit : v / unit;
  // Beyond 2^52 there are no decimals left to be rounded.
  constexpr double no_decimals = 4503599627370496;
  if (!(std::fabs(scaled) < no_decimals)) return v;
  // A half that the product only made by its own rounding is none.
  const double nearest = std::round(scaled), rest = std::fma(v, digits > 0 ? unit : 1 / unit, -scaled);
  const double half = std::fabs(std::fabs(nearest - scaled) - 0.5);
  const double corrected =
      half == 0 && digits > 0 && rest != 0 && (rest < 0) == (scaled > 0) ? std::trunc(scaled) : nearest;
  return digits > 0 ? corrected / unit : corrected * unit;
}

double unit_of(Index digits) { return std::pow(10.0, static_cast<double>(std::abs(digits))); }

Value round_row(Call& call) {
  const auto x = call.ordered(0);
  const auto digits = call.given(1) ? call.whole(1) : 0;
  if (digits < -kMostDecimals || digits > kMostDecimals)
    call.fail_argument(1, fmt::format("must be a number of decimals from {} to {}, not {}", -kMostDecimals,
                                      kMostDecimals, digits));
  if (digits == 0 || (digits > 0 && is_integer(x.type()))) return Value::array(apply(Unary::round, x));
  const double unit = unit_of(digits);
  auto numbers = x.converted(ElementType::float64).to_vector<double>();
  for (double& v : numbers) v = rounded(v, digits, unit);
  return Value::array(Array::of<double>(x.shape(), numbers).converted(x.type()));
}

bool round_number(std::span<const double> given, double* result) {
  const double digits = given[1];
  if (!is_whole(digits) || digits == 0 || std::fabs(digits) > kMostDecimals) return false;
  const auto whole = static_cast<Index>(digits);
  *result = rounded(given[0], whole, unit_of(whole));
  return true;
}

bool clamp_number(std::span<const double> given, double* result) {
  *result = apply(Binary::minimum, apply(Binary::maximum, given[0], given[1]), given[2]);
  return true;
}

Builtin round_builtin() {
  auto row = unary_row(Unary::round,
                       "Nearest integer, or nearest number with a given number of decimals; halves are "
                       "rounded away from zero.",
                       kSameShape, "round([-2.5, 0.4, 2.5])\nround(2/3, digits: 3)",
                       "round([-2.5, 0.4, 2.5]) : float64 3\n  -3   0   3\nround(2/3, digits: 3) = 0.667");
  row.parameters.push_back({"digits", "number of decimals; negative for tens, hundreds, …", "0"});
  row.run = round_row;
  row.of_numbers = OfNumbers{{1, 1}, 1, round_number};
  return row;
}

Value clamp_row(Call& call) {
  if (call.value(0).is_number() && call.value(1).is_number() && call.value(2).is_number())
    return {apply(Binary::minimum, apply(Binary::maximum, call.value(0).number(), call.value(1).number()),
                  call.value(2).number())};
  Array x, low, high;
  const auto raised = apply(Binary::maximum, call.operand(0, x), call.operand(1, low));
  return Value::array(apply(Binary::minimum, raised, call.operand(2, high)));
}

Value complex_row(Call& call) {
  if (!call.given(1)) return Value::array(call.numbers(0).converted(ElementType::complex128));
  return Value::array(complex_from(call.numbers(0), call.numbers(1)));
}

Value pick_row(Call& call) {
  const auto mask = call.array(0), a = call.array(1), b = call.array(2);
  const auto plain = [](const Array& x) {
    return !is_numeric(x.type()) || x.type() == ElementType::complex128;
  };
  if (plain(a) || plain(b)) return Value::array(pick(mask, a, b));
  Array hold_a, hold_b;
  return Value::array(pick(mask, call.operand(1, hold_a), call.operand(2, hold_b)));
}

}  // namespace

std::vector<Builtin> elementwise_rows() {
  std::vector<Builtin> rows = {
      unary_row(Unary::abs, "Absolute value; modulus of a complex number.", kSameShape, "abs([-3, 4])",
                "abs([-3, 4]) : float64 2\n  3  4"),
      unary_row(Unary::sign, "Sign: -1, 0 or 1.", kSameShape, "sign([-2.5, 0, 7])",
                "sign([-2.5, 0, 7]) : float64 3\n  -1   0   1"),
      unary_row(Unary::sqrt, "Square root.", kRealDomain, "sqrt(2)", "sqrt(2) = 1.4142"),
      unary_row(Unary::cbrt, "Real cube root.", kSameShape, "cbrt(-27)", "cbrt(-27) = -3"),
      unary_row(Unary::exp, "Exponential function.", kSameShape, "exp(1)", "exp(1) = 2.7183"),
      unary_row(Unary::expm1, "exp(x) - 1, accurate for small x.", kSameShape, "expm1(1e-10) / 1e-10",
                "expm1(1e-10) / 1e-10 = 1"),
      unary_row(Unary::log, "Natural logarithm.", kRealDomain, "log(exp(2))", "log(exp(2)) = 2"),
      unary_row(Unary::log2, "Logarithm to base 2.", kRealDomain, "log2(1024)", "log2(1024) = 10"),
      unary_row(Unary::log10, "Logarithm to base 10.", kRealDomain, "log10(1000)", "log10(1000) = 3"),
      unary_row(Unary::log1p, "log(1 + x), accurate for small x.", kRealDomain, "log1p(0)", "log1p(0) = 0"),
      unary_row(Unary::sin, "Sine of an angle in radians.", kSameShape, "sin(pi / 6)", "sin(pi / 6) = 0.5"),
      unary_row(Unary::cos, "Cosine of an angle in radians.", kSameShape, "cos(0)", "cos(0) = 1"),
      unary_row(Unary::tan, "Tangent of an angle in radians.", kSameShape, "tan(pi / 4)", "tan(pi / 4) = 1"),
      unary_row(Unary::asin, "Inverse sine, in radians from -π/2 to π/2.", kRealDomain, "asin(1)",
                "asin(1) = 1.5708"),
      unary_row(Unary::acos, "Inverse cosine, in radians from 0 to π.", kRealDomain, "acos(0)",
                "acos(0) = 1.5708"),
      unary_row(Unary::atan, "Inverse tangent, in radians from -π/2 to π/2.", kSameShape, "atan(1)",
                "atan(1) = 0.7854"),
      unary_row(Unary::sinh, "Hyperbolic sine.", kSameShape, "sinh(1)", "sinh(1) = 1.1752"),
      unary_row(Unary::cosh, "Hyperbolic cosine.", kSameShape, "cosh(0)", "cosh(0) = 1"),
      unary_row(Unary::tanh, "Hyperbolic tangent.", kSameShape, "tanh(1)", "tanh(1) = 0.76159"),
      unary_row(Unary::asinh, "Inverse hyperbolic sine.", kSameShape, "asinh(0)", "asinh(0) = 0"),
      unary_row(Unary::acosh, "Inverse hyperbolic cosine.", kRealDomain, "acosh(1)", "acosh(1) = 0"),
      unary_row(Unary::atanh, "Inverse hyperbolic tangent.", kRealDomain, "atanh(0.5)",
                "atanh(0.5) = 0.54931"),
      unary_row(Unary::floor, "Largest integer not greater than x.", kSameShape, "floor([-1.5, 1.5])",
                "floor([-1.5, 1.5]) : float64 2\n  -2   1"),
      unary_row(Unary::ceil, "Smallest integer not less than x.", kSameShape, "ceil([-1.5, 1.5])",
                "ceil([-1.5, 1.5]) : float64 2\n  -1   2"),
      round_builtin(),
      unary_row(Unary::truncate, "Integer part: x without its fraction.", kSameShape, "truncate([-1.7, 1.7])",
                "truncate([-1.7, 1.7]) : float64 2\n  -1   1"),
      unary_row(Unary::sinc, "sin(πx) / (πx); 1 at x = 0.", kSameShape, "sinc([0, 0.5, 1])",
                "sinc([0, 0.5, 1]) : float64 3\n  1.0000  0.6366  0.0000"),
      unary_row(Unary::gamma, "Gamma function; gamma(n + 1) is the factorial of n.", kSameShape, "gamma(5)",
                "gamma(5) = 24"),
      unary_row(Unary::log_gamma, "Logarithm of the absolute value of the gamma function.", kSameShape,
                "log_gamma(100)", "log_gamma(100) = 359.13"),
      unary_row(Unary::erf, "Error function.", kSameShape, "erf(1)", "erf(1) = 0.8427"),
      unary_row(Unary::erfc, "Complementary error function 1 - erf(x), accurate for large x.", kSameShape,
                "erfc(5)", "erfc(5) = 1.5375e-12"),
      unary_row(Unary::real, "Real part.", kSameShape, "real(3 + 4i)", "real(3 + 4i) = 3"),
      unary_row(Unary::imag, "Imaginary part.", kSameShape, "imag(3 + 4i)", "imag(3 + 4i) = 4"),
      unary_row(Unary::conj, "Complex conjugate.", kSameShape, "conj(3 + 4i)", "conj(3 + 4i) = 3 - 4i"),
      unary_row(Unary::phase, "Argument of a complex number, in radians from -π to π.", kSameShape,
                "phase(1i)", "phase(1i) = 1.5708"),
      unary_row(Unary::is_nan, "Test for nan.", "booleans, of the shape of x", "is_nan([1, nan, 3])",
                "is_nan([1, nan, 3]) : bool 3\n  false   true  false"),
      unary_row(Unary::is_finite, "Test for numbers that are neither nan nor infinite.",
                "booleans, of the shape of x", "is_finite([1, nan, inf])",
                "is_finite([1, nan, inf]) : bool 3\n   true  false  false"),
      unary_row(Unary::is_inf, "Test for infinite numbers.", "booleans, of the shape of x",
                "is_inf([1, -inf])", "is_inf([1, -inf]) : bool 2\n  false   true"),
  };
  rows.push_back({"atan2",
                  "elementwise",
                  "Angle of the point (x, y), in radians from -π to π.",
                  {{"y", "numbers", ""}, {"x", "numbers, broadcast with y", ""}},
                  "array of the broadcast shape",
                  "",
                  "",
                  "atan2(1, -1)",
                  "atan2(1, -1) = 2.3562",
                  [](Call& c) { return two_arguments(c, Binary::atan2); }});
  rows.back().binary = Binary::atan2;
  rows.push_back({"hypot",
                  "elementwise",
                  "Length sqrt(a² + b²), computed without overflow.",
                  {{"a", "numbers", ""}, {"b", "numbers, broadcast with a", ""}},
                  "array of the broadcast shape",
                  "",
                  "",
                  "hypot(3, 4)",
                  "hypot(3, 4) = 5",
                  [](Call& c) { return two_arguments(c, Binary::hypot); }});
  rows.back().binary = Binary::hypot;
  rows.push_back({"beta",
                  "elementwise",
                  "Beta function Γ(a) Γ(b) / Γ(a + b).",
                  {{"a", "numbers", ""}, {"b", "numbers, broadcast with a", ""}},
                  "array of the broadcast shape; nan at poles",
                  "",
                  "Boost.Math",
                  "beta(2, 3)",
                  "beta(2, 3) = 0.083333",
                  [](Call& c) { return two_arguments(c, Binary::beta); }});
  rows.push_back({"bessel_j",
                  "elementwise",
                  "Bessel function of the first kind.",
                  {{"order", "real order", ""}, {"x", "numbers, broadcast with order", ""}},
                  "array of the broadcast shape; nan where the result is not real",
                  "",
                  "Boost.Math",
                  "bessel_j(0, 2.404825557695773) < 1e-15",
                  "bessel_j(0, 2.404825557695773) < 1e-15 = true",
                  [](Call& c) { return two_arguments(c, Binary::bessel_j); }});
  rows.push_back({"bessel_y",
                  "elementwise",
                  "Bessel function of the second kind.",
                  {{"order", "real order", ""}, {"x", "positive numbers, broadcast with order", ""}},
                  "array of the broadcast shape; nan for negative x",
                  "",
                  "Boost.Math",
                  "bessel_y(0, [0.5, 1])",
                  "bessel_y(0, [0.5, 1]) : float64 2\n  -0.44452   0.08826",
                  [](Call& c) { return two_arguments(c, Binary::bessel_y); }});
  rows.push_back({"clamp",
                  "elementwise",
                  "Limit numbers to an interval.",
                  {{"x", "numbers", ""}, {"low", "lower end", ""}, {"high", "upper end", ""}},
                  "array of the broadcast shape",
                  "",
                  "",
                  "clamp([-5, 0.5, 5], 0, 1)",
                  "clamp([-5, 0.5, 5], 0, 1) : float64 3\n  0.0  0.5  1.0",
                  clamp_row});
  rows.back().of_numbers = OfNumbers{{1, 1, 1}, 1, clamp_number};
  rows.push_back({"complex",
                  "elementwise",
                  "Build complex numbers from real and imaginary parts.",
                  {{"re", "real parts", ""}, {"im", "imaginary parts", "0"}},
                  "complex128 array of the broadcast shape",
                  "",
                  "",
                  "sqrt(complex(-4))",
                  "sqrt(complex(-4)) = 0 + 2i",
                  complex_row});
  rows.push_back({"pick",
                  "elementwise",
                  "Choose between two arrays, element by element.",
                  {{"mask", "a boolean array", ""},
                   {"a", "result where the condition is true", ""},
                   {"b", "result where the condition is false", ""}},
                  "array of the broadcast shape",
                  "",
                  "",
                  "x = [-2, 1, 3]\npick(x > 0, x, 0)",
                  "pick(x > 0, x, 0) : float64 3\n  0  1  3",
                  pick_row});
  return rows;
}

}  // namespace quill
