#include <fmt/format.h>

#include <cmath>
#include <limits>
#include <numbers>

#include "array/integers.h"
#include "array/kernels.h"
#include "array/scalar.h"

namespace quill {

scalar::ComplexFunction scalar::complex_function(Unary op) {
  switch (op) {
    case Unary::sqrt: return [](Complex z) { return std::sqrt(z); };
    case Unary::exp: return [](Complex z) { return std::exp(z); };
    case Unary::log: return [](Complex z) { return std::log(z); };
    case Unary::log10: return [](Complex z) { return std::log10(z); };
    case Unary::log2: return [](Complex z) { return std::log(z) / std::numbers::ln2; };
    case Unary::sin: return [](Complex z) { return std::sin(z); };
    case Unary::cos: return [](Complex z) { return std::cos(z); };
    case Unary::tan: return [](Complex z) { return std::tan(z); };
    case Unary::asin: return [](Complex z) { return std::asin(z); };
    case Unary::acos: return [](Complex z) { return std::acos(z); };
    case Unary::atan: return [](Complex z) { return std::atan(z); };
    case Unary::sinh: return [](Complex z) { return std::sinh(z); };
    case Unary::cosh: return [](Complex z) { return std::cosh(z); };
    case Unary::tanh: return [](Complex z) { return std::tanh(z); };
    case Unary::asinh: return [](Complex z) { return std::asinh(z); };
    case Unary::acosh: return [](Complex z) { return std::acosh(z); };
    case Unary::atanh: return [](Complex z) { return std::atanh(z); };
    default: return nullptr;
  }
}

std::string_view name_of(Unary op) {
  constexpr std::string_view names[] = {
      "-",         "not",   "abs",   "sign",  "sqrt",  "cbrt", "exp",   "expm1",    "log",       "log2",
      "log10",     "log1p", "sin",   "cos",   "tan",   "asin", "acos",  "atan",     "sinh",      "cosh",
      "tanh",      "asinh", "acosh", "atanh", "floor", "ceil", "round", "truncate", "sinc",      "gamma",
      "log_gamma", "erf",   "erfc",  "real",  "imag",  "conj", "phase", "is_nan",   "is_finite", "is_inf"};
  static_assert(std::size(names) == static_cast<std::size_t>(Unary::is_inf) + 1);
  return names[static_cast<int>(op)];
}

namespace {

template <class T>
Array apply_real(Unary op, const Operand& a, Domain* domain) {
  switch (op) {  // the ones whose loops the compiler vectorises
    case Unary::negate: return map1<T, T>(a, scalar::Negate{});
    case Unary::abs: return map1<T, T>(a, scalar::Abs{});
    case Unary::is_nan: return map1<T, bool>(a, [](T x) { return std::isnan(x); });
    case Unary::is_finite: return map1<T, bool>(a, [](T x) { return std::isfinite(x); });
    case Unary::is_inf: return map1<T, bool>(a, [](T x) { return std::isinf(x); });
    default: break;
  }
  const auto [f, limited] = scalar::real_function(op);
  if (!limited) return map1<T, T>(a, [f = f](T x) { return static_cast<T>(f(x)); });
  bool left = false;
  auto out = map1<T, T>(a, [f = f, &left](T x) {
    const double r = f(x);
    left |= std::isnan(r) && !std::isnan(x);
    return static_cast<T>(r);
  });
  if (domain) domain->exceeded |= left;
  return out;
}

// The functions whose result is an integer again.
template <class T>
Array apply_integer(Unary op, const Operand& a) {
  switch (op) {
    case Unary::negate: return map1<T, T>(a, scalar::Negate{});
    case Unary::abs: return map1<T, T>(a, scalar::Abs{});
    case Unary::sign: return map1<T, T>(a, [](T x) { return static_cast<T>(x > 0 ? 1 : x < 0 ? -1 : 0); });
    case Unary::imag: return map1<T, T>(a, [](T) { return T(0); });
    case Unary::floor:
    case Unary::ceil:
    case Unary::round:
    case Unary::truncate:
    case Unary::real:
    case Unary::conj: return map1<T, T>(a, [](T x) { return x; });
    default: scalar::fail_operation();
  }
}

Array apply_complex(Unary op, const Operand& a) {
  const auto real = [&](auto f) { return map1<Complex, double>(a, f); };
  const auto boolean = [&](auto f) { return map1<Complex, bool>(a, f); };
  using C = Complex;
  if (const auto f = scalar::complex_function(op)) return map1<C, C>(a, f);
  switch (op) {
    case Unary::negate: return map1<C, C>(a, [](C z) { return -z; });
    case Unary::conj: return map1<C, C>(a, [](C z) { return std::conj(z); });
    case Unary::abs: return real([](C z) { return std::abs(z); });
    case Unary::real: return real([](C z) { return z.real(); });
    case Unary::imag: return real([](C z) { return z.imag(); });
    case Unary::phase: return real([](C z) { return std::arg(z); });
    case Unary::is_nan: return boolean([](C z) { return std::isnan(z.real()) || std::isnan(z.imag()); });
    case Unary::is_finite:
      return boolean([](C z) { return std::isfinite(z.real()) && std::isfinite(z.imag()); });
    case Unary::is_inf: return boolean([](C z) { return std::isinf(z.real()) || std::isinf(z.imag()); });
    default:
      fail(fmt::format("{} is not defined for complex numbers", name_of(op)),
           "use real(z), imag(z) or abs(z) for a real number");
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
      fail(fmt::format("`not` takes booleans, not {}", name_of(a.type)), "compare first: x == 0");
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
    case ElementType::float64:
    case ElementType::boolean: return apply_real<double>(op, in_type(a, ElementType::float64, hold), domain);
    default: scalar::fail_operation();
  }
}

double apply(Unary op, double a) {
  const auto f = scalar::real_function(op).f;
  if (f == nullptr) fail(fmt::format("{} of a number is not a number", name_of(op)));
  return f(a);
}

}  // namespace quill
