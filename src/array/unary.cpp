#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <numbers>

#include "array/integers.h"
#include "array/kernels.h"

namespace quill {

std::string_view name_of(Unary op) {
  constexpr std::string_view names[] = {
      "-",         "not",   "abs",   "sign",  "sqrt",  "cbrt", "exp",   "expm1",    "log",       "log2",
      "log10",     "log1p", "sin",   "cos",   "tan",   "asin", "acos",  "atan",     "sinh",      "cosh",
      "tanh",      "asinh", "acosh", "atanh", "floor", "ceil", "round", "truncate", "sinc",      "gamma",
      "log_gamma", "erf",   "erfc",  "real",  "imag",  "conj", "phase", "is_nan",   "is_finite", "is_inf"};
  return names[static_cast<int>(op)];
}

namespace {

// sin(pi x)/(pi x), 1 at 0; the argument is reduced first so that whole numbers give exactly 0.
double sinc(double x) {
  if (x == 0) return 1;
  if (std::isinf(x)) return 0;
  double r = std::fmod(std::fabs(x), 2.0);
  double sign = 1;
  if (r >= 1) {
    r -= 1;
    sign = -1;
  }
  if (r > 0.5) r = 1 - r;
  return sign * std::sin(std::numbers::pi * r) / (std::numbers::pi * std::fabs(x));
}

double round_half_away(double x) { return std::round(x); }

double sign_of(double x) { return x > 0 ? 1.0 : x < 0 ? -1.0 : x; }

using RealFunction = double (*)(double);

RealFunction real_function(Unary op) {
  switch (op) {
    case Unary::sqrt: return [](double x) { return std::sqrt(x); };
    case Unary::cbrt: return [](double x) { return std::cbrt(x); };
    case Unary::exp: return [](double x) { return std::exp(x); };
    case Unary::expm1: return [](double x) { return std::expm1(x); };
    case Unary::log: return [](double x) { return std::log(x); };
    case Unary::log2: return [](double x) { return std::log2(x); };
    case Unary::log10: return [](double x) { return std::log10(x); };
    case Unary::log1p: return [](double x) { return std::log1p(x); };
    case Unary::sin: return [](double x) { return std::sin(x); };
    case Unary::cos: return [](double x) { return std::cos(x); };
    case Unary::tan: return [](double x) { return std::tan(x); };
    case Unary::asin: return [](double x) { return std::asin(x); };
    case Unary::acos: return [](double x) { return std::acos(x); };
    case Unary::atan: return [](double x) { return std::atan(x); };
    case Unary::sinh: return [](double x) { return std::sinh(x); };
    case Unary::cosh: return [](double x) { return std::cosh(x); };
    case Unary::tanh: return [](double x) { return std::tanh(x); };
    case Unary::asinh: return [](double x) { return std::asinh(x); };
    case Unary::acosh: return [](double x) { return std::acosh(x); };
    case Unary::atanh: return [](double x) { return std::atanh(x); };
    case Unary::sinc: return sinc;
    case Unary::gamma: return [](double x) { return std::tgamma(x); };
    case Unary::log_gamma:
      return [](double x) {
        int sign = 0;
        return ::lgamma_r(x, &sign);
      };
    case Unary::erf: return [](double x) { return std::erf(x); };
    case Unary::erfc: return [](double x) { return std::erfc(x); };
    case Unary::sign: return sign_of;
    case Unary::floor: return [](double x) { return std::floor(x); };
    case Unary::ceil: return [](double x) { return std::ceil(x); };
    case Unary::round: return round_half_away;
    case Unary::truncate: return [](double x) { return std::trunc(x); };
    case Unary::abs: return [](double x) { return std::fabs(x); };
    case Unary::negate: return [](double x) { return -x; };
    case Unary::real:
    case Unary::conj: return [](double x) { return x; };
    case Unary::imag: return [](double x) { return std::isnan(x) ? x : 0.0; };
    case Unary::phase: return [](double x) { return x < 0 ? std::numbers::pi : std::isnan(x) ? x : 0.0; };
    default: return nullptr;
  }
}

// Functions that are undefined for some real arguments.
bool has_limited_domain(Unary op) {
  switch (op) {
    case Unary::sqrt:
    case Unary::log:
    case Unary::log2:
    case Unary::log10:
    case Unary::log1p:
    case Unary::asin:
    case Unary::acos:
    case Unary::acosh:
    case Unary::atanh: return true;
    default: return false;
  }
}

template <class T>
Array apply_real(Unary op, const Operand& a, Domain* domain) {
  switch (op) {  // the ones whose loops the compiler vectorises
    case Unary::negate: return map1<T, T>(a, [](T x) { return -x; });
    case Unary::abs: return map1<T, T>(a, [](T x) { return std::fabs(x); });
    case Unary::is_nan: return map1<T, bool>(a, [](T x) { return std::isnan(x); });
    case Unary::is_finite: return map1<T, bool>(a, [](T x) { return std::isfinite(x); });
    case Unary::is_inf: return map1<T, bool>(a, [](T x) { return std::isinf(x); });
    default: break;
  }
  const auto f = real_function(op);
  if (!has_limited_domain(op)) return map1<T, T>(a, [f](T x) { return static_cast<T>(f(x)); });
  bool left = false;
  auto out = map1<T, T>(a, [f, &left](T x) {
    const double r = f(x);
    left |= std::isnan(r) && !std::isnan(x);
    return static_cast<T>(r);
  });
  if (domain) domain->left |= left;
  return out;
}

// The functions whose result is a whole number again.
template <class T>
Array apply_integer(Unary op, const Operand& a) {
  switch (op) {
    case Unary::negate: return map1<T, T>(a, [](T x) { return checked_subtract<T>(0, x); });
    case Unary::abs: return map1<T, T>(a, [](T x) { return x < 0 ? checked_subtract<T>(0, x) : x; });
    case Unary::sign: return map1<T, T>(a, [](T x) { return static_cast<T>(x > 0 ? 1 : x < 0 ? -1 : 0); });
    case Unary::imag: return map1<T, T>(a, [](T) { return T(0); });
    default: return map1<T, T>(a, [](T x) { return x; });
  }
}

Array apply_complex(Unary op, const Operand& a) {
  const auto complex = [&](auto f) { return map1<Complex, Complex>(a, f); };
  const auto real = [&](auto f) { return map1<Complex, double>(a, f); };
  const auto truth = [&](auto f) { return map1<Complex, bool>(a, f); };
  using C = Complex;
  switch (op) {
    case Unary::negate: return complex([](C z) { return -z; });
    case Unary::sqrt: return complex([](C z) { return std::sqrt(z); });
    case Unary::exp: return complex([](C z) { return std::exp(z); });
    case Unary::log: return complex([](C z) { return std::log(z); });
    case Unary::log10: return complex([](C z) { return std::log10(z); });
    case Unary::log2: return complex([](C z) { return std::log(z) / std::numbers::ln2; });
    case Unary::sin: return complex([](C z) { return std::sin(z); });
    case Unary::cos: return complex([](C z) { return std::cos(z); });
    case Unary::tan: return complex([](C z) { return std::tan(z); });
    case Unary::asin: return complex([](C z) { return std::asin(z); });
    case Unary::acos: return complex([](C z) { return std::acos(z); });
    case Unary::atan: return complex([](C z) { return std::atan(z); });
    case Unary::sinh: return complex([](C z) { return std::sinh(z); });
    case Unary::cosh: return complex([](C z) { return std::cosh(z); });
    case Unary::tanh: return complex([](C z) { return std::tanh(z); });
    case Unary::asinh: return complex([](C z) { return std::asinh(z); });
    case Unary::acosh: return complex([](C z) { return std::acosh(z); });
    case Unary::atanh: return complex([](C z) { return std::atanh(z); });
    case Unary::conj: return complex([](C z) { return std::conj(z); });
    case Unary::abs: return real([](C z) { return std::abs(z); });
    case Unary::real: return real([](C z) { return z.real(); });
    case Unary::imag: return real([](C z) { return z.imag(); });
    case Unary::phase: return real([](C z) { return std::arg(z); });
    case Unary::is_nan: return truth([](C z) { return std::isnan(z.real()) || std::isnan(z.imag()); });
    case Unary::is_finite:
      return truth([](C z) { return std::isfinite(z.real()) && std::isfinite(z.imag()); });
    case Unary::is_inf: return truth([](C z) { return std::isinf(z.real()) || std::isinf(z.imag()); });
    default:
      fail(fmt::format("{} is not defined for complex numbers", name_of(op)),
           "real(z), imag(z) or abs(z) gives a real number");
  }
}

}  // namespace

ElementType result_type(Unary op, ElementType a) {
  switch (op) {
    case Unary::is_nan:
    case Unary::is_finite:
    case Unary::is_inf: return ElementType::boolean;
    case Unary::negate:
      if (a == ElementType::uint8) return ElementType::int32;
      [[fallthrough]];
    case Unary::abs:
    case Unary::sign:
    case Unary::floor:
    case Unary::ceil:
    case Unary::round:
    case Unary::truncate:
    case Unary::real:
    case Unary::imag:
    case Unary::conj:
      if (a == ElementType::boolean) return ElementType::int64;
      if (is_integer(a)) return a;
      break;
    default: break;
  }
  if (a == ElementType::complex128)
    return op == Unary::abs || op == Unary::real || op == Unary::imag || op == Unary::phase
               ? ElementType::float64
               : a;
  return a == ElementType::float32 ? a : ElementType::float64;
}

Array apply(Unary op, const Operand& a, Domain* domain) {
  if (op == Unary::logical_not) {
    if (a.type != ElementType::boolean)
      fail(fmt::format("`not` takes truth values, not {}", name_of(a.type)), "compare first: x == 0");
    return map1<bool, bool>(a, [](bool x) { return !x; });
  }
  if (!is_numeric(a.type)) fail(fmt::format("{} takes numbers, not {}", name_of(op), name_of(a.type)));
  if (a.type == ElementType::complex128) return apply_complex(op, a);
  const auto type = result_type(op, a.type);
  Array hold;
  switch (type) {
    case ElementType::float32: return apply_real<float>(op, a, domain);
    case ElementType::int32: return apply_integer<std::int32_t>(op, in_type(a, type, hold));
    case ElementType::int64: return apply_integer<std::int64_t>(op, in_type(a, type, hold));
    case ElementType::uint8: return apply_integer<std::uint8_t>(op, a);
    default: return apply_real<double>(op, in_type(a, ElementType::float64, hold), domain);
  }
}

double apply(Unary op, double a) {
  const auto f = real_function(op);
  if (f == nullptr) fail(fmt::format("{} of a number is not a number", name_of(op)));
  return f(a);
}

}  // namespace quill
