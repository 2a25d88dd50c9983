// The kernels, included once for each instruction set with
//   QUILL_SET     the namespace of the set,
//   QUILL_WIDTH   how many numbers a vector has; 1: no vector functions,
//   QUILL_VECTOR, QUILL_LOAD, QUILL_STORE, QUILL_FUNCTION(name, bound)   its vectors and SLEEF's functions,
//   load_some, store_some   for the first elements of a vector; the others are 1, in the domain of all
//   functions; all_of   one number in all operands; store_alternate stores the first element, the third and
//   so on. QUILL_COMPRESS   puts the chosen elements of a vector together and reports how many; where there
//   is such an instruction.
// Everything is in unnamed namespaces, so that no code for one processor is linked into code for another.
#include <cmath>
#include <cstring>

#include "array/mathematics.h"
#include "array/reduce.h"
#include "array/scalar.h"
#include "base/number.h"
#include "fusion/kernel_tables.h"

#if defined(__clang__)
#define QUILL_ELEMENTWISE _Pragma("clang loop vectorize(assume_safety)")
#else
#define QUILL_ELEMENTWISE _Pragma("GCC ivdep")
#endif

namespace quill::fusion::QUILL_SET {

namespace {

template <class T, class R, class F, Single single>
void combine(const void* left, const void* right, const void*, void* result, Index n, bool*) {
  const F f;
  const T *a = static_cast<const T*>(left), *b = static_cast<const T*>(right);
  R* out = static_cast<R*>(result);
  if constexpr (single == Single::none) {
    QUILL_ELEMENTWISE
    for (Index i = 0; i < n; ++i) out[i] = f(a[i], b[i]);
  } else if constexpr (single == Single::left) {
    const T x = *a;
    QUILL_ELEMENTWISE
    for (Index i = 0; i < n; ++i) out[i] = f(x, b[i]);
  } else {
    const T y = *b;
    QUILL_ELEMENTWISE
    for (Index i = 0; i < n; ++i) out[i] = f(a[i], y);
  }
}

template <class T, class R, class F>
Kernel combine_as(Single single) {
  switch (single) {
    case Single::none: return combine<T, R, F, Single::none>;
    case Single::left: return combine<T, R, F, Single::left>;
    case Single::right: return combine<T, R, F, Single::right>;
    default: return nullptr;
  }
}

// Booleans are bytes that are 0 or 1.
struct BothBits {
  std::uint8_t operator()(std::uint8_t a, std::uint8_t b) const { return a & b; }
};
struct EitherBit {
  std::uint8_t operator()(std::uint8_t a, std::uint8_t b) const { return a | b; }
};

Kernel whole_binary(Binary op, ElementType type, Single single);
Kernel function_of_two(Binary op, Single single);

Kernel binary(Binary op, ElementType type, Single single) {
  if (is_integer(type)) return whole_binary(op, type, single);
  if (type == ElementType::complex128) return complex_binary(op, single);
  if (type == ElementType::boolean) {
    if (op == Binary::logical_and) return combine_as<std::uint8_t, std::uint8_t, BothBits>(single);
    if (op == Binary::logical_or) return combine_as<std::uint8_t, std::uint8_t, EitherBit>(single);
    return nullptr;
  }
  if (type == ElementType::float32)
    return scalar::is_basic(op)
               ? scalar::with_basic(op, [&]<class F>(F) { return combine_as<float, float, F>(single); })
               : nullptr;
  if (type != ElementType::float64) return nullptr;
  switch (op) {
    case Binary::add: return combine_as<double, double, scalar::Add>(single);
    case Binary::subtract: return combine_as<double, double, scalar::Subtract>(single);
    case Binary::multiply: return combine_as<double, double, scalar::Multiply>(single);
    case Binary::divide: return combine_as<double, double, scalar::Divide>(single);
    case Binary::minimum: return combine_as<double, double, scalar::Minimum>(single);
    case Binary::maximum: return combine_as<double, double, scalar::Maximum>(single);
    case Binary::equal: return combine_as<double, bool, scalar::Equal>(single);
    case Binary::not_equal: return combine_as<double, bool, scalar::NotEqual>(single);
    case Binary::less: return combine_as<double, bool, scalar::Less>(single);
    case Binary::less_equal: return combine_as<double, bool, scalar::LessEqual>(single);
    case Binary::greater: return combine_as<double, bool, scalar::Greater>(single);
    case Binary::greater_equal: return combine_as<double, bool, scalar::GreaterEqual>(single);
    case Binary::logical_and:
    case Binary::logical_or: return nullptr;
    default: return function_of_two(op, single);
  }
}

template <ProductWith op, bool x_single, bool z_single>
void combine_product(const void* left, const void* right, const void* other, void* result, Index n, bool*) {
  const double *x = static_cast<const double*>(left), *y = static_cast<const double*>(right),
               *z = static_cast<const double*>(other);
  double* out = static_cast<double*>(result);
  const double one_x = *x, one_z = *z;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    double p = one_x, q = one_z;
    if constexpr (!x_single) p = x[i];
    if constexpr (!z_single) q = z[i];
    const double product = p * y[i];
    out[i] = op == ProductWith::plus ? product + q : op == ProductWith::minus ? product - q : q - product;
  }
}

template <ProductWith op>
Kernel product_as(Single single) {
  switch (single) {
    case Single::none: return combine_product<op, false, false>;
    case Single::left: return combine_product<op, true, false>;
    case Single::right: return combine_product<op, false, true>;
    default: return combine_product<op, true, true>;
  }
}

Kernel product_with(ProductWith op, Single single) {
  switch (op) {
    case ProductWith::plus: return product_as<ProductWith::plus>(single);
    case ProductWith::minus: return product_as<ProductWith::minus>(single);
    default: return product_as<ProductWith::from>(single);
  }
}

// Stencil points, whose operands are at different offsets; each is loaded once.
template <bool scaled>
void sum_four(const double* a, const double* b, const double* c, const double* d, const double* scale,
              double* out, Index n) {
  double factor = 1;
  if constexpr (scaled) factor = *scale;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    const double sum = ((a[i] + b[i]) + c[i]) + d[i];
    out[i] = scaled ? factor * sum : sum;
  }
}

struct Alone {
  double operator()(double sum, double) const { return sum; }
};

template <class F>
void two_products(const double* a, const double* b, const double* c, const double* d, const double* e,
                  double* out, Index n) {
  const double x = *a, y = *c;
  double z = 0;
  if constexpr (!std::is_same_v<F, Alone>) z = *e;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) out[i] = F()(x * b[i] + y * d[i], z);
}
#if QUILL_WIDTH > 1
#define QUILL_ROW(name, sleef, bound, beyond, library)                                 \
  struct Vector_##name {                                                               \
    static bool is_beyond([[maybe_unused]] double x) { return beyond; }                \
    static QUILL_VECTOR of(QUILL_VECTOR x) { return QUILL_FUNCTION(sleef, bound)(x); } \
    static double of_single(double x) { return mathematics::name(x); }                 \
  };
QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW

template <class F, bool limited>
void apply_vector(const void* operand, const void*, const void*, void* result, Index n, bool* exceeded) {
  const double* x = static_cast<const double*>(operand);
  double* out = static_cast<double*>(result);
  bool beyond = false;
  for (Index i = 0; i < n; ++i) beyond |= F::is_beyond(x[i]);
  if (beyond) {
    for (Index i = 0; i < n; ++i) {
      const double before = x[i];
      out[i] = F::of_single(before);
      if constexpr (limited) *exceeded |= std::isnan(out[i]) && !std::isnan(before);
    }
    return;
  }
  decltype(QUILL_VECTOR{} != QUILL_VECTOR{}) left = {};
  const auto watch = [&](QUILL_VECTOR before, QUILL_VECTOR after) {
    if constexpr (limited) left |= (after != after) & (before == before);
  };
  Index i = 0;
  for (; i + QUILL_WIDTH <= n; i += QUILL_WIDTH) {
    const QUILL_VECTOR before = QUILL_LOAD(x + i), after = F::of(before);
    watch(before, after);
    QUILL_STORE(out + i, after);
  }
  if (i < n) {
    const auto count = static_cast<int>(n - i);
    const QUILL_VECTOR before = load_some(x + i, count), after = F::of(before);
    watch(before, after);
    store_some(out + i, count, after);
  }
  if constexpr (limited)
    for (int k = 0; k < QUILL_WIDTH; ++k) *exceeded |= left[k] != 0;
}
#endif

template <class R, class F>
void apply_each(const void* operand, const void*, const void*, void* result, Index n, bool*) {
  const F f;
  const double* x = static_cast<const double*>(operand);
  R* out = static_cast<R*>(result);
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) out[i] = f(x[i]);
}

void square_root(const void* operand, const void*, const void*, void* result, Index n, bool* exceeded) {
  const double* x = static_cast<const double*>(operand);
  double* out = static_cast<double*>(result);
  bool below = false;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    below |= x[i] < 0;
    out[i] = __builtin_sqrt(x[i]);
  }
  *exceeded |= below;
}

void negate_boolean(const void* operand, const void*, const void*, void* result, Index n, bool*) {
  const auto* x = static_cast<const std::uint8_t*>(operand);
  auto* out = static_cast<std::uint8_t*>(result);
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) out[i] = x[i] ^ 1;
}

#define QUILL_EACH(Name, expression)                       \
  struct Name {                                            \
    auto operator()(double x) const { return expression; } \
  };
QUILL_EACH(Opposite, -x)
QUILL_EACH(Magnitude, __builtin_fabs(x))
QUILL_EACH(Floor, __builtin_floor(x))
QUILL_EACH(Ceil, __builtin_ceil(x))
QUILL_EACH(Truncate, __builtin_trunc(x))
// Halves round away from zero; the fraction is exact, and so is its double.
QUILL_EACH(Round,
           (__builtin_fabs(x) < 0x1p52
                ? __builtin_copysign(__builtin_trunc(x) + __builtin_trunc(2 * (x - __builtin_trunc(x))), x)
                : x))
QUILL_EACH(Sign, (x > 0 ? 1.0 : x < 0 ? -1.0 : x))
QUILL_EACH(IsNan, x != x)
QUILL_EACH(IsFinite, __builtin_fabs(x) <= std::numeric_limits<double>::max())
QUILL_EACH(IsInf, __builtin_fabs(x) > std::numeric_limits<double>::max())
#undef QUILL_EACH

Kernel whole_unary(Unary op, ElementType type);

Kernel unary(Unary op, ElementType type) {
  if (is_integer(type)) return whole_unary(op, type);
  if (type == ElementType::complex128) return complex_unary(op);
  switch (op) {
    case Unary::negate: return apply_each<double, Opposite>;
    case Unary::abs: return apply_each<double, Magnitude>;
    case Unary::floor: return apply_each<double, Floor>;
    case Unary::ceil: return apply_each<double, Ceil>;
    case Unary::truncate: return apply_each<double, Truncate>;
    case Unary::round: return apply_each<double, Round>;
    case Unary::sign: return apply_each<double, Sign>;
    case Unary::is_nan: return apply_each<bool, IsNan>;
    case Unary::is_finite: return apply_each<bool, IsFinite>;
    case Unary::is_inf: return apply_each<bool, IsInf>;
    case Unary::sqrt: return square_root;
    case Unary::logical_not: return negate_boolean;
#if QUILL_WIDTH > 1
#define QUILL_ROW(name, sleef, bound, beyond, library) \
  case Unary::name:                                    \
    return apply_vector<Vector_##name, std::bool_constant<scalar::real_function(Unary::name).limited>::value>;
      QUILL_VECTOR_FUNCTIONS(QUILL_ROW)
#undef QUILL_ROW
#endif
    default: return generic_unary(op);
  }
}

template <class T, Single single>
void pick_between(const void* mask, const void* left, const void* right, void* result, Index n, bool*) {
  const auto* m = static_cast<const std::uint8_t*>(mask);
  const T *a = static_cast<const T*>(left), *b = static_cast<const T*>(right);
  T* out = static_cast<T*>(result);
  constexpr bool left_single = single == Single::left || single == Single::both;
  constexpr bool right_single = single == Single::right || single == Single::both;
  const T x = *a, y = *b;
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) {
    T from_left = x, from_right = y;
    if constexpr (!left_single) from_left = a[i];
    if constexpr (!right_single) from_right = b[i];
    out[i] = m[i] != 0 ? from_left : from_right;
  }
}

template <class T>
Kernel pick_of(Single single) {
  switch (single) {
    case Single::none: return pick_between<T, Single::none>;
    case Single::left: return pick_between<T, Single::left>;
    case Single::right: return pick_between<T, Single::right>;
    default: return pick_between<T, Single::both>;
  }
}

Kernel pick(ElementType type, Single single) {
  switch (type) {
    case ElementType::float64: return pick_of<double>(single);
    case ElementType::float32: return pick_of<float>(single);
    case ElementType::int64: return pick_of<std::int64_t>(single);
    case ElementType::int32: return pick_of<std::int32_t>(single);
    case ElementType::uint8:
    case ElementType::boolean: return pick_of<std::uint8_t>(single);
    default: return nullptr;
  }
}

template <class From, class To>
void convert_each(const void* operand, const void*, const void*, void* result, Index n, bool*) {
  const From* x = static_cast<const From*>(operand);
  To* out = static_cast<To*>(result);
  QUILL_ELEMENTWISE
  for (Index i = 0; i < n; ++i) out[i] = static_cast<To>(x[i]);
}

void rest_each(const void* operand, const void*, const void*, void* result, Index n, bool*) {
  const auto* x = static_cast<const std::int64_t*>(operand);
  auto* out = static_cast<double*>(result);
  for (Index i = 0; i < n; ++i) out[i] = static_cast<double>(rest_beyond_nearest(x[i]));
}

#include "fusion/kernels_whole.h"

Kernel convert(ElementType from, ElementType to) {
  if (from == ElementType::float64 && to == ElementType::float32) return convert_each<double, float>;
  if (to == ElementType::complex128) return convert_to_complex(from);
  if (is_integer(to)) return convert_to_whole(from, to);
  if (to != ElementType::float64) return nullptr;
  switch (from) {
    case ElementType::float32: return convert_each<float, double>;
    case ElementType::int32: return convert_each<std::int32_t, double>;
    case ElementType::int64: return convert_each<std::int64_t, double>;
    case ElementType::uint8: return convert_each<std::uint8_t, double>;
    case ElementType::boolean: return convert_each<std::uint8_t, double>;
    default: return nullptr;
  }
}

#include "fusion/kernels_moving.h"
#include "fusion/kernels_powers.h"
#include "fusion/kernels_reducing.h"

}  // namespace

const Kernels& table() {
  static constexpr Kernels kTable = {binary,
                                     product_with,
                                     sum_four<false>,
                                     sum_four<true>,
                                     two_products<Alone>,
                                     two_products<scalar::Add>,
                                     two_products<scalar::Subtract>,
                                     unary,
                                     pick,
                                     convert,
                                     rest_each,
                                     climbing,
                                     weighted,
                                     gather,
                                     scatter,
                                     put_alternate,
                                     block_sums,
                                     extreme<true>,
                                     extreme<false>,
                                     count};
  return kTable;
}

}  // namespace quill::fusion::QUILL_SET
