// Complex numbers, block by block; the same for all instruction sets.
#include "array/scalar.h"
#include "fusion/kernel_tables.h"

namespace quill::fusion {

namespace {

template <class F, Single single>
void combine_complex(const void* left, const void* right, const void*, void* result, Index n, bool*) {
  const F f;
  const auto *a = static_cast<const Complex*>(left), *b = static_cast<const Complex*>(right);
  auto* out = static_cast<Complex*>(result);
  for (Index i = 0; i < n; ++i)
    out[i] = f(single == Single::left ? *a : a[i], single == Single::right ? *b : b[i]);
}

template <class R, auto f>
void apply_complex(const void* operand, const void*, const void*, void* result, Index n, bool*) {
  const auto* x = static_cast<const Complex*>(operand);
  auto* out = static_cast<R*>(result);
  for (Index i = 0; i < n; ++i) out[i] = f(x[i]);
}

template <class T>
void to_complex(const void* operand, const void*, const void*, void* result, Index n, bool*) {
  const auto* x = static_cast<const T*>(operand);
  auto* out = static_cast<Complex*>(result);
  for (Index i = 0; i < n; ++i) out[i] = Complex(static_cast<double>(x[i]));
}

}  // namespace

Kernel complex_binary(Binary op, Single single) {
  if (!scalar::is_basic(op)) return nullptr;
  return scalar::with_basic(op, [&]<class F>(F) -> Kernel {
    switch (single) {
      case Single::none: return combine_complex<F, Single::none>;
      case Single::left: return combine_complex<F, Single::left>;
      case Single::right: return combine_complex<F, Single::right>;
      default: return nullptr;
    }
  });
}

Kernel complex_unary(Unary op) {
  using C = Complex;
  switch (op) {
    case Unary::negate: return apply_complex<C, [](C z) { return -z; }>;
    case Unary::conj: return apply_complex<C, [](C z) { return std::conj(z); }>;
    case Unary::exp: return apply_complex<C, [](C z) { return std::exp(z); }>;
    case Unary::log: return apply_complex<C, [](C z) { return std::log(z); }>;
    case Unary::sqrt: return apply_complex<C, [](C z) { return std::sqrt(z); }>;
    case Unary::sin: return apply_complex<C, [](C z) { return std::sin(z); }>;
    case Unary::cos: return apply_complex<C, [](C z) { return std::cos(z); }>;
    case Unary::abs: return apply_complex<double, [](C z) { return std::abs(z); }>;
    case Unary::real: return apply_complex<double, [](C z) { return z.real(); }>;
    case Unary::imag: return apply_complex<double, [](C z) { return z.imag(); }>;
    case Unary::phase: return apply_complex<double, [](C z) { return std::arg(z); }>;
    default: return nullptr;
  }
}

Kernel convert_to_complex(ElementType from) {
  switch (from) {
    case ElementType::float64: return to_complex<double>;
    case ElementType::float32: return to_complex<float>;
    case ElementType::int32: return to_complex<std::int32_t>;
    case ElementType::int64: return to_complex<std::int64_t>;
    case ElementType::uint8:
    case ElementType::boolean: return to_complex<std::uint8_t>;
    default: return nullptr;
  }
}

}  // namespace quill::fusion
