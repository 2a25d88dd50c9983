#include "array/elementwise.h"

#include <fmt/format.h>

#include <cmath>
#include <numbers>

#include "array/strided.h"

namespace quill {

std::string_view symbol_of(Binary op) {
  constexpr std::string_view symbols[] = {"+",  "-", "*",  "/",   "%",  "^",   "==",  "!=",    "<",
                                          "<=", ">", ">=", "and", "or", "min", "max", "atan2", "hypot"};
  return symbols[static_cast<int>(op)];
}

std::string_view name_of(Unary op) {
  constexpr std::string_view names[] = {
      "-",         "not",   "abs",   "sign",  "sqrt",  "cbrt", "exp",   "expm1",    "log",       "log2",
      "log10",     "log1p", "sin",   "cos",   "tan",   "asin", "acos",  "atan",     "sinh",      "cosh",
      "tanh",      "asinh", "acosh", "atanh", "floor", "ceil", "round", "truncate", "sinc",      "gamma",
      "log_gamma", "erf",   "erfc",  "real",  "imag",  "conj", "phase", "is_nan",   "is_finite", "is_inf"};
  return names[static_cast<int>(op)];
}

double remainder_of(double a, double b) {
  const double r = std::fmod(a, b);
  if (r != 0) return (r < 0) != (b < 0) ? r + b : r;
  return std::copysign(0.0, b);
}

namespace {

// The runs of one binary operation; contiguous and one-number operands get loops the compiler can
// turn into vector instructions.
template <class T, class R, class F>
void run_binary(const T* a, Index sa, const T* b, Index sb, R* out, Index n, F f) {
  if (sa == 1 && sb == 1)
    for (Index i = 0; i < n; ++i) out[i] = f(a[i], b[i]);
  else if (sa == 1 && sb == 0) {
    const T y = *b;
    for (Index i = 0; i < n; ++i) out[i] = f(a[i], y);
  } else if (sa == 0 && sb == 1) {
    const T x = *a;
    for (Index i = 0; i < n; ++i) out[i] = f(x, b[i]);
  } else
    for (Index i = 0; i < n; ++i) out[i] = f(a[i * sa], b[i * sb]);
}

// An operand in the element type of the operation; `hold` keeps a conversion alive.
Operand in_type(const Operand& a, ElementType type, Array& hold) {
  if (a.type == type) return a;
  Array out(type, a.shape);
  visit_type(a.type, [&]<class From>(Tag<From>) {
    visit_type(type, [&]<class To>(Tag<To>) {
      if constexpr (std::is_convertible_v<From, To> && !std::is_same_v<From, Complex> &&
                    !std::is_same_v<To, Any> && !std::is_same_v<From, Any>) {
        auto* to = out.mutable_data<To>();
        for_each_run<1>(a.shape, {a.strides}, [&](const auto& at, const auto& step, Index n) {
          const From* from = static_cast<const From*>(a.data) + at[0];
          for (Index i = 0; i < n; ++i) *to++ = static_cast<To>(from[i * step[0]]);
        });
      }
    });
  });
  hold = std::move(out);
  return {hold};
}

template <class T, class R, class F>
Array map2(const Operand& a, const Operand& b, const Shape& shape, F f) {
  Array out(type_of<R>, shape);
  R* to = out.mutable_data<R>();
  const auto* x = static_cast<const T*>(a.data);
  const auto* y = static_cast<const T*>(b.data);
  for_each_run<3>(shape,
                  {stretched_strides(a.shape, a.strides, shape), stretched_strides(b.shape, b.strides, shape),
                   out.strides()},
                  [&](const auto& at, const auto& step, Index n) {
                    run_binary<T, R>(x + at[0], step[0], y + at[1], step[1], to + at[2], n, f);
                  });
  return out;
}

template <class T, class R, class F>
Array map1(const Operand& a, F f) {
  Array out(type_of<R>, a.shape);
  R* to = out.mutable_data<R>();
  const auto* x = static_cast<const T*>(a.data);
  for_each_run<2>(a.shape, {a.strides, out.strides()}, [&](const auto& at, const auto& step, Index n) {
    const T* from = x + at[0];
    R* target = to + at[1];
    if (step[0] == 1)
      for (Index i = 0; i < n; ++i) target[i] = f(from[i]);
    else
      for (Index i = 0; i < n; ++i) target[i] = f(from[i * step[0]]);
  });
  return out;
}

// Repeated multiplication for small whole powers is exact where pow() may round differently.
double power(double a, double b) { return b == 2 ? a * a : b == 1 ? a : std::pow(a, b); }

template <class T>
Array arithmetic(Binary op, const Operand& a, const Operand& b, const Shape& shape, Domain* domain) {
  switch (op) {
    case Binary::add: return map2<T, T>(a, b, shape, [](T x, T y) { return x + y; });
    case Binary::subtract: return map2<T, T>(a, b, shape, [](T x, T y) { return x - y; });
    case Binary::multiply: return map2<T, T>(a, b, shape, [](T x, T y) { return x * y; });
    case Binary::divide: return map2<T, T>(a, b, shape, [](T x, T y) { return x / y; });
    default: break;
  }
  if constexpr (std::is_same_v<T, Complex>) {
    if (op == Binary::power)
      return map2<T, T>(a, b, shape, [](T x, T y) {
        return y == Complex(2) ? x * x : x == Complex(0) && y.real() > 0 ? Complex(0) : std::pow(x, y);
      });
    fail(fmt::format("{} is not defined for complex numbers", symbol_of(op)));
  } else {
    switch (op) {
      case Binary::remainder: return map2<T, T>(a, b, shape, remainder_of);
      case Binary::power: {
        if (b.shape.empty() && *static_cast<const double*>(b.data) == 2)
          return map2<T, T>(a, b, shape, [](T x, T) { return x * x; });
        bool left = false;
        auto out = map2<T, T>(a, b, shape, [&left](T x, T y) {
          const double r = power(x, y);
          left |= std::isnan(r) && !std::isnan(x) && !std::isnan(y);
          return r;
        });
        if (domain) domain->left |= left;
        return out;
      }
      case Binary::minimum:
        return map2<T, T>(a, b, shape, [](T x, T y) { return std::isnan(x) || x < y ? x : y; });
      case Binary::maximum:
        return map2<T, T>(a, b, shape, [](T x, T y) { return std::isnan(x) || x > y ? x : y; });
      case Binary::atan2: return map2<T, T>(a, b, shape, [](T x, T y) { return std::atan2(x, y); });
      default: return map2<T, T>(a, b, shape, [](T x, T y) { return std::hypot(x, y); });
    }
  }
}

template <class T>
Array compare(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  if (op == Binary::equal) return map2<T, bool>(a, b, shape, [](const T& x, const T& y) { return x == y; });
  if (op == Binary::not_equal)
    return map2<T, bool>(a, b, shape, [](const T& x, const T& y) { return x != y; });
  if constexpr (std::is_same_v<T, Complex>) {
    fail("complex numbers have no order", "compare abs(z) or real(z)");
  } else {
    switch (op) {
      case Binary::less: return map2<T, bool>(a, b, shape, [](const T& x, const T& y) { return x < y; });
      case Binary::less_equal:
        return map2<T, bool>(a, b, shape, [](const T& x, const T& y) { return x <= y; });
      case Binary::greater: return map2<T, bool>(a, b, shape, [](const T& x, const T& y) { return x > y; });
      default: return map2<T, bool>(a, b, shape, [](const T& x, const T& y) { return x >= y; });
    }
  }
}

bool is_comparison(Binary op) { return op >= Binary::equal && op <= Binary::greater_equal; }

Array combine_truth(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  if (a.type != ElementType::boolean || b.type != ElementType::boolean)
    fail(fmt::format("`{}` takes truth values, not {}", symbol_of(op),
                     name_of(a.type == ElementType::boolean ? b.type : a.type)),
         "compare first: x != 0");
  if (op == Binary::logical_and) return map2<bool, bool>(a, b, shape, [](bool x, bool y) { return x && y; });
  return map2<bool, bool>(a, b, shape, [](bool x, bool y) { return x || y; });
}

}  // namespace

ElementType common_type(ElementType a, ElementType b) {
  if (a == b) return a;
  if (!is_numeric(a) || !is_numeric(b))
    fail(fmt::format("{} and {} do not go together", name_of(a), name_of(b)));
  if (a == ElementType::complex128 || b == ElementType::complex128) return ElementType::complex128;
  return ElementType::float64;
}

Array apply(Binary op, const Operand& a, const Operand& b, Domain* domain) {
  const auto shape = broadcast_shapes(a.shape, b.shape, fmt::format(" {} ", symbol_of(op)));
  if (op == Binary::logical_and || op == Binary::logical_or) return combine_truth(op, a, b, shape);
  if (is_comparison(op) && is_numeric(a.type) != is_numeric(b.type)) {
    if (op == Binary::equal || op == Binary::not_equal)
      return Array::filled<bool>(shape, op == Binary::not_equal);
    fail(fmt::format("{} and {} have no order between them", name_of(a.type), name_of(b.type)));
  }
  auto type = common_type(a.type, b.type);
  if (is_comparison(op)) {
    Array hold_a, hold_b;
    const auto x = in_type(a, type, hold_a), y = in_type(b, type, hold_b);
    switch (type) {
      case ElementType::boolean: return compare<bool>(op, x, y, shape);
      case ElementType::complex128: return compare<Complex>(op, x, y, shape);
      case ElementType::text: return compare<std::string>(op, x, y, shape);
      case ElementType::float64: return compare<double>(op, x, y, shape);
      default:
        fail(fmt::format("elements of type {} cannot be compared with {}", name_of(type), symbol_of(op)));
    }
  }
  if (!is_numeric(type))
    fail(fmt::format("{} takes numbers, not {}", symbol_of(op), name_of(type)),
         type == ElementType::text && op == Binary::add ? "to join texts, write \"{a}{b}\"" : "");
  if (type == ElementType::boolean) type = ElementType::float64;
  Array hold_a, hold_b;
  const auto x = in_type(a, type, hold_a), y = in_type(b, type, hold_b);
  if (type == ElementType::complex128) return arithmetic<Complex>(op, x, y, shape, domain);
  return arithmetic<double>(op, x, y, shape, domain);
}

bool apply_in_place(Binary op, Array& a, const Operand& b) {
  if (a.shares_storage() || a.type() != ElementType::float64 || b.type != ElementType::float64 ||
      a.axes() == 0)
    return false;
  if (!can_broadcast(a.shape(), b.shape) || !(broadcast_shapes(a.shape(), b.shape) == a.shape()))
    return false;
  const auto in_place = [&](auto f) {
    double* to = a.mutable_data<double>();
    const auto* y = static_cast<const double*>(b.data);
    for_each_run<2>(a.shape(), {a.strides(), stretched_strides(b.shape, b.strides, a.shape())},
                    [&](const auto& at, const auto& step, Index n) {
                      double* x = to + at[0];
                      const double* z = y + at[1];
                      if (step[0] == 1 && step[1] == 1)
                        for (Index i = 0; i < n; ++i) x[i] = f(x[i], z[i]);
                      else if (step[0] == 1 && step[1] == 0) {
                        const double value = *z;
                        for (Index i = 0; i < n; ++i) x[i] = f(x[i], value);
                      } else
                        for (Index i = 0; i < n; ++i) x[i * step[0]] = f(x[i * step[0]], z[i * step[1]]);
                    });
    a.label.reset();
    return true;
  };
  switch (op) {
    case Binary::add: return in_place([](double x, double y) { return x + y; });
    case Binary::subtract: return in_place([](double x, double y) { return x - y; });
    case Binary::multiply: return in_place([](double x, double y) { return x * y; });
    case Binary::divide: return in_place([](double x, double y) { return x / y; });
    default: return false;
  }
}

double apply(Binary op, double a, double b) {
  switch (op) {
    case Binary::add: return a + b;
    case Binary::subtract: return a - b;
    case Binary::multiply: return a * b;
    case Binary::divide: return a / b;
    case Binary::remainder: return remainder_of(a, b);
    case Binary::power: return power(a, b);
    case Binary::minimum: return std::isnan(a) || a < b ? a : b;
    case Binary::maximum: return std::isnan(a) || a > b ? a : b;
    case Binary::atan2: return std::atan2(a, b);
    case Binary::hypot: return std::hypot(a, b);
    default: fail(fmt::format("{} of two numbers is not a number", symbol_of(op)));
  }
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

Array apply_real(Unary op, const Operand& a, Domain* domain) {
  switch (op) {  // the ones whose loops the compiler vectorises
    case Unary::negate: return map1<double, double>(a, [](double x) { return -x; });
    case Unary::abs: return map1<double, double>(a, [](double x) { return std::fabs(x); });
    case Unary::is_nan: return map1<double, bool>(a, [](double x) { return std::isnan(x); });
    case Unary::is_finite: return map1<double, bool>(a, [](double x) { return std::isfinite(x); });
    case Unary::is_inf: return map1<double, bool>(a, [](double x) { return std::isinf(x); });
    default: break;
  }
  const auto f = real_function(op);
  if (!has_limited_domain(op)) return map1<double, double>(a, f);
  bool left = false;
  auto out = map1<double, double>(a, [f, &left](double x) {
    const double r = f(x);
    left |= std::isnan(r) && !std::isnan(x);
    return r;
  });
  if (domain) domain->left |= left;
  return out;
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

Array apply(Unary op, const Operand& a, Domain* domain) {
  if (op == Unary::logical_not) {
    if (a.type != ElementType::boolean)
      fail(fmt::format("`not` takes truth values, not {}", name_of(a.type)), "compare first: x == 0");
    return map1<bool, bool>(a, [](bool x) { return !x; });
  }
  if (!is_numeric(a.type)) fail(fmt::format("{} takes numbers, not {}", name_of(op), name_of(a.type)));
  if (a.type == ElementType::complex128) return apply_complex(op, a);
  Array hold;
  return apply_real(op, in_type(a, ElementType::float64, hold), domain);
}

double apply(Unary op, double a) {
  const auto f = real_function(op);
  if (f == nullptr) fail(fmt::format("{} of a number is not a number", name_of(op)));
  return f(a);
}

Array pick(const Operand& mask, const Operand& a, const Operand& b) {
  if (mask.type != ElementType::boolean)
    fail(fmt::format("pick takes a condition first, not {}", name_of(mask.type)), "pick(x > 0, a, b)");
  const auto type = common_type(a.type, b.type);
  const auto shape = broadcast_shapes(mask.shape, broadcast_shapes(a.shape, b.shape));
  Array hold_a, hold_b;
  const auto x = in_type(a, type, hold_a), y = in_type(b, type, hold_b);
  Array out(type, shape);
  visit_type(type, [&]<class T>(Tag<T>) {
    T* to = out.mutable_data<T>();
    const auto* m = static_cast<const bool*>(mask.data);
    for_each_run<4>(
        shape,
        {stretched_strides(mask.shape, mask.strides, shape), stretched_strides(x.shape, x.strides, shape),
         stretched_strides(y.shape, y.strides, shape), out.strides()},
        [&](const auto& at, const auto& step, Index n) {
          const auto* p = static_cast<const T*>(x.data) + at[1];
          const auto* q = static_cast<const T*>(y.data) + at[2];
          for (Index i = 0; i < n; ++i)
            to[at[3] + i] = m[at[0] + i * step[0]] ? p[i * step[1]] : q[i * step[2]];
        });
  });
  return out;
}

}  // namespace quill
