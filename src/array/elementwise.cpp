#include "array/elementwise.h"

#include <fmt/format.h>

#include <cmath>
#include <optional>
#include <stdexcept>

#include "array/integers.h"
#include "array/kernels.h"
#include "array/scalar.h"
#include "base/parallel.h"

namespace quill {

std::string_view symbol_of(Binary op) {
#define QUILL_SYMBOL(name, functor, token, spelling, left, right) spelling,
#define QUILL_FUNCTION(name, functor, symbol, limited) symbol,
  constexpr std::string_view symbols[] = {QUILL_ELEMENTWISE_OPERATORS(QUILL_SYMBOL)
                                              QUILL_FUNCTIONS_OF_TWO(QUILL_FUNCTION)};
#undef QUILL_SYMBOL
#undef QUILL_FUNCTION
  return symbols[static_cast<int>(op)];
}

void scalar::fail_operation() { throw std::logic_error("this operation is not defined here"); }

double remainder_of_any(double a, double b) {
  const double r = std::fmod(a, b);
  if (r != 0) return (r < 0) != (b < 0) ? r + b : r;
  return std::copysign(0.0, b);
}

Operand in_type(const Operand& a, ElementType type, Array& hold) {
  if (a.type == type) return a;
  if (!is_numeric(a.type) || !is_numeric(type))
    fail(fmt::format("{} and {} cannot be combined", name_of(a.type), name_of(type)));
  Array out(type, a.shape);
  visit_numeric(type, [&]<class T>(Tag<T>) {
    convert_elements(a.data, a.type, a.shape, a.strides, out.mutable_data<T>(), type);
  });
  hold = std::move(out);
  return {hold};
}

ElementType common_type(ElementType a, ElementType b) {
  if (a == b) return a;
  if (!is_numeric(a) || !is_numeric(b))
    fail(fmt::format("{} and {} cannot be combined", name_of(a), name_of(b)));
  const auto either = [&](ElementType t) { return a == t || b == t; };
  if (either(ElementType::complex128)) return ElementType::complex128;
  if (either(ElementType::boolean)) return a == ElementType::boolean ? b : a;
  if (either(ElementType::float64) || either(ElementType::float32)) return ElementType::float64;
  return either(ElementType::int64) ? ElementType::int64 : ElementType::int32;
}

ElementType common_type(const Operand& a, const Operand& b) {
  for (const auto& [one, other] : {std::pair(&a, &b), std::pair(&b, &a)}) {
    if (one->type != ElementType::float64 || !one->shape.empty()) continue;
    if (other->type == ElementType::float32 && !other->shape.empty() && !one->times)
      return ElementType::float32;
    if (one->literal && is_integer(other->type)) return other->type;
    if (one->literal && other->type == ElementType::boolean) return ElementType::int64;
  }
  return common_type(a.type, b.type);
}

Binary mirrored(Binary comparison) {
  switch (comparison) {
    case Binary::less: return Binary::greater;
    case Binary::less_equal: return Binary::greater_equal;
    case Binary::greater: return Binary::less;
    case Binary::greater_equal: return Binary::less_equal;
    default: return comparison;
  }
}

namespace {

// Labels a selection from a and b as timestamps if one of them holds timestamps.
Array chosen_times(const Operand& a, const Operand& b, Array out) {
  if (a.times || b.times) return as_times_like(a.times ? *a.times : *b.times, std::move(out));
  return out;
}

bool is_comparison(Binary op) { return op >= Binary::equal && op <= Binary::greater_equal; }
bool is_real_function(Binary op) { return op == Binary::divide || op >= Binary::atan2; }

// A comparison with a literal that the integers cannot hold goes by value, as float64.
bool fits(const Operand& literal, ElementType type) {
  const double x = *static_cast<const double*>(literal.data);
  return visit_numeric(type, [x]<class T>(Tag<T>) {
    if constexpr (std::is_integral_v<T>)
      return x >= static_cast<double>(std::numeric_limits<T>::min()) &&
             x < static_cast<double>(std::numeric_limits<T>::max() / 2 + 1) * 2;
    else
      return true;
  });
}

}  // namespace

ElementType result_type(Binary op, const Operand& a, const Operand& b) {
  auto type = common_type(a, b);
  if (is_comparison(op)) return ElementType::boolean;
  if (is_real_function(op))
    return type == ElementType::float32 || type == ElementType::complex128 ? type : ElementType::float64;
  if (type == ElementType::boolean) return ElementType::int64;
  if (type == ElementType::uint8 && op == Binary::subtract) return ElementType::int32;
  return type;
}

ElementType sum_type(ElementType a) {
  return a == ElementType::boolean || a == ElementType::uint8 ? ElementType::int64 : a;
}

namespace {

[[noreturn]] void fail_complex(Binary op) {
  if (op == Binary::minimum || op == Binary::maximum)
    fail("complex numbers cannot be ordered", "compare abs(z) or real(z)");
  fail(fmt::format("{} is not defined for complex numbers", symbol_of(op)));
}

Array arithmetic_complex(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  return scalar::with_arithmetic(op, [&]<class F>(F f) -> Array {
    if constexpr (F::kComplex)
      return map2<Complex, Complex>(a, b, shape, f);
    else
      fail_complex(op);
  });
}

// For expensive functions: several threads, if both operands are single or row-major. Sets `left` if a result
// is nan for numbers.
template <class T, class F>
std::optional<Array> map2_by_threads(const Operand& a, const Operand& b, const Shape& shape, F f,
                                     bool& left) {
  const auto step_of = [&](const Operand& o) -> std::optional<Index> {
    if (size_of(o.shape) == 1) return 0;
    Index step = 1;
    for (int axis = shape.count() - 1; axis >= 0; --axis) {
      if (!(o.shape == shape) || (shape[axis] > 1 && o.strides[axis] != step)) return std::nullopt;
      step *= shape[axis];
    }
    return 1;
  };
  const Index count = size_of(shape);
  const auto step_a = step_of(a), step_b = step_of(b);
  if (count < 256 || !step_a || !step_b) return std::nullopt;
  Array out(type_of<T>, shape);
  T* const to = out.mutable_data<T>();
  const auto* const x = static_cast<const T*>(a.data);
  const auto* const y = static_cast<const T*>(b.data);
  constexpr Index piece = 256;
  const Index pieces = (count + piece - 1) / piece;
  std::vector<char> exceeded(static_cast<std::size_t>(pieces), 0);
  in_parallel(pieces, [&, step_a = *step_a, step_b = *step_b](Index p) {
    for (Index k = p * piece; k < std::min(count, (p + 1) * piece); ++k) {
      const T u = x[k * step_a], v = y[k * step_b];
      to[k] = f(u, v);
      if (std::isnan(to[k]) && !std::isnan(u) && !std::isnan(v)) exceeded[static_cast<std::size_t>(p)] = 1;
    }
  });
  left = left || std::find(exceeded.begin(), exceeded.end(), 1) != exceeded.end();
  return out;
}

template <class T>
Array arithmetic_real(Binary op, const Operand& a, const Operand& b, const Shape& shape, Domain* domain) {
  return scalar::with_arithmetic(op, [&]<class F>(F f) {
    if constexpr (!F::kLimited) {
      return map2<T, T>(a, b, shape, f);
    } else {
      if (std::is_same_v<F, scalar::Power> && b.shape.empty() && *static_cast<const T*>(b.data) == T(2))
        return map2<T, T>(a, b, shape, [](T x, T) { return x * x; });
      // Reports functions without a real result.
      bool left = false;
      if constexpr (std::is_same_v<F, scalar::Beta> || std::is_same_v<F, scalar::BesselJ> ||
                    std::is_same_v<F, scalar::BesselY>)
        if (auto shared = map2_by_threads<T>(a, b, shape, f, left)) {
          if (domain) domain->exceeded |= left;
          return *std::move(shared);
        }
      auto out = map2<T, T>(a, b, shape, [f, &left](T x, T y) {
        const T r = f(x, y);
        left |= std::isnan(r) && !std::isnan(x) && !std::isnan(y);
        return r;
      });
      if (domain) domain->exceeded |= left;
      return out;
    }
  });
}

template <class T>
Array arithmetic_integer(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  return scalar::with_arithmetic(op, [&]<class F>(F f) -> Array {
    if constexpr (std::is_same_v<F, scalar::Remainder>)
      if (b.shape.empty() && *static_cast<const T*>(b.data) > 0)
        return map2<T, T>(a, b, shape, RemainderBy<T>(*static_cast<const T*>(b.data)));
    if constexpr (F::kInteger)
      return map2<T, T>(a, b, shape, f);
    else
      scalar::fail_operation();
  });
}

template <class T>
Array compare(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  const bool is_equality = op == Binary::equal || op == Binary::not_equal;
  if constexpr (std::is_same_v<T, Any>) {
    if (!is_equality)
      fail("elements of type any cannot be ordered", "take the numbers out first: [x for x in a]");
    const bool wanted = op == Binary::equal;
    return map2<T, bool>(a, b, shape, [wanted](const Any& x, const Any& y) {
      return (x == y || (x && y && x->equals(*y))) == wanted;
    });
  } else if constexpr (std::is_same_v<T, Complex>) {
    if (op == Binary::equal) return map2<T, bool>(a, b, shape, scalar::Equal{});
    if (op == Binary::not_equal) return map2<T, bool>(a, b, shape, scalar::NotEqual{});
    fail("complex numbers cannot be ordered", "compare abs(z) or real(z)");
  } else {
    return scalar::with_comparison(op, [&](auto f) { return map2<T, bool>(a, b, shape, f); });
  }
}

// x op n for an integer n = d + r, where d is the nearest number of float64: x - d op r. That difference
// is exact where it matters, and no smaller than r where it is not 0.
Array compare_exactly(Binary op, const Operand& x, const Operand& n) {
  Array nearest, rest(ElementType::float64, n.shape);
  const auto d = in_type(n, ElementType::float64, nearest);
  auto* to = rest.mutable_data<double>();
  for_each_run<1>(n.shape, {n.strides}, [&](const auto& at, const auto& step, Index count) {
    const auto* from = n.elements<std::int64_t>() + at[0];
    for (Index i = 0; i < count; ++i) *to++ = static_cast<double>(rest_beyond_nearest(from[i * step[0]]));
  });
  return apply(op, apply(Binary::subtract, x, d), rest);
}

Array compare_operands(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  if (is_numeric(a.type) != is_numeric(b.type) || (!is_numeric(a.type) && a.type != b.type)) {
    if (op == Binary::equal || op == Binary::not_equal)
      return Array::filled<bool>(shape, op == Binary::not_equal);
    fail(fmt::format("{} and {} cannot be compared", name_of(a.type), name_of(b.type)));
  }
  auto type = common_type(a, b);
  if ((a.literal && !fits(a, type)) || (b.literal && !fits(b, type))) type = ElementType::float64;
  Array hold_a, hold_b;
  if (type == ElementType::float64 && a.type == ElementType::int64)
    return compare_exactly(mirrored(op), in_type(b, type, hold_b), a);
  if (type == ElementType::float64 && b.type == ElementType::int64)
    return compare_exactly(op, in_type(a, type, hold_a), b);
  const auto x = in_type(a, type, hold_a), y = in_type(b, type, hold_b);
  return visit_type(type, [&]<class T>(Tag<T>) { return compare<T>(op, x, y, shape); });
}

Array combine_boolean(Binary op, const Operand& a, const Operand& b, const Shape& shape) {
  if (a.type != ElementType::boolean || b.type != ElementType::boolean)
    fail(fmt::format("`{}` takes booleans, not {}", symbol_of(op),
                     name_of(a.type == ElementType::boolean ? b.type : a.type)),
         "compare first: x != 0");
  if (op == Binary::logical_and) return map2<bool, bool>(a, b, shape, scalar::And{});
  return map2<bool, bool>(a, b, shape, scalar::Or{});
}

// A literal in the type of the integers beside it.
Operand literal_in_type(const Operand& a, ElementType type, Array& hold) {
  if (a.literal && is_integer(type) && !fits(a, type))
    fail(fmt::format("{} does not fit {}, the type of the integers beside it",
                     shortest(*static_cast<const double*>(a.data)), name_of(type)),
         "use int64(a) or float64(a) for a wider array");
  return in_type(a, type, hold);
}

}  // namespace

Array apply(Binary op, const Operand& a, const Operand& b, Domain* domain) {
  const auto shape =
      broadcast_shapes(a.shape, b.shape, op < Binary::minimum ? fmt::format(" {} ", symbol_of(op)) : " and ");
  if (op == Binary::logical_and || op == Binary::logical_or) return combine_boolean(op, a, b, shape);
  if (is_comparison(op)) return compare_operands(op, a, b, shape);
  for (const auto type : {a.type, b.type})
    if (!is_numeric(type))
      fail(fmt::format("{} takes numbers, not {}", symbol_of(op), name_of(type)),
           type != ElementType::text || op != Binary::add ? ""
           : a.type == b.type                             ? "join_text([\"lake \", \"Velm\"]) joins texts"
                                                          : "\"{x} m\" puts the number x into a text");
  const auto type = result_type(op, a, b);
  Array hold_a, hold_b;
  const auto x = literal_in_type(a, type, hold_a), y = literal_in_type(b, type, hold_b);
  switch (type) {
    case ElementType::complex128: return arithmetic_complex(op, x, y, shape);
    case ElementType::float32: return arithmetic_real<float>(op, x, y, shape, domain);
    case ElementType::int32: return arithmetic_integer<std::int32_t>(op, x, y, shape);
    case ElementType::int64: return arithmetic_integer<std::int64_t>(op, x, y, shape);
    case ElementType::uint8: return arithmetic_integer<std::uint8_t>(op, x, y, shape);
    case ElementType::float64: {
      auto out = arithmetic_real<double>(op, x, y, shape, domain);
      return op == Binary::minimum || op == Binary::maximum ? chosen_times(a, b, std::move(out)) : out;
    }
    default: scalar::fail_operation();
  }
}

bool update(Binary op, double* elements, const Shape& shape, const Strides& strides, const Operand& b) {
  if (b.type != ElementType::float64 || !can_broadcast(shape, b.shape) ||
      !(broadcast_shapes(shape, b.shape) == shape))
    return false;
  const auto with = [&](auto f) {
    const auto* y = static_cast<const double*>(b.data);
    for_each_run<2, false>(shape, {strides, stretched_strides(b.shape, b.strides, shape)},
                           [&](const auto& at, const auto& step, Index n) {
                             double* x = elements + at[0];
                             const double* z = y + at[1];
                             if (step[0] == 1 && step[1] == 1)
                               for (Index i = 0; i < n; ++i) x[i] = f(x[i], z[i]);
                             else if (step[0] == 1 && step[1] == 0) {
                               const double value = *z;
                               for (Index i = 0; i < n; ++i) x[i] = f(x[i], value);
                             } else
                               for (Index i = 0; i < n; ++i)
                                 x[i * step[0]] = f(x[i * step[0]], z[i * step[1]]);
                           });
    return true;
  };
  return scalar::is_basic(op) && scalar::with_basic(op, with);
}

bool apply_in_place(Binary op, Array& a, const Operand& b) {
  if (a.shares_storage() || a.type() != ElementType::float64 || a.axes() == 0) return false;
  if (!update(op, a.mutable_data<double>(), a.shape(), a.strides(), b)) return false;
  a.label.reset();
  return true;
}

double apply(Binary op, double a, double b) {
  return scalar::with_arithmetic(op, [&](auto f) { return f(a, b); });
}

Array pick(const Operand& mask, const Operand& a, const Operand& b) {
  if (mask.type != ElementType::boolean)
    fail(fmt::format("pick takes a condition first, not {}", name_of(mask.type)), "pick(x > 0, a, b)");
  const auto type = common_type(a, b);
  const auto shape = broadcast_shapes(mask.shape, broadcast_shapes(a.shape, b.shape));
  Array hold_a, hold_b;
  const auto x = literal_in_type(a, type, hold_a), y = literal_in_type(b, type, hold_b);
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
  return chosen_times(a, b, std::move(out));
}

Array complex_from(const Array& re, const Array& im) {
  const auto shape = broadcast_shapes(re.shape(), im.shape());
  const auto a = re.converted(ElementType::complex128), b = im.converted(ElementType::complex128);
  if (re.type() == ElementType::complex128 || im.type() == ElementType::complex128)
    return map2<Complex, Complex>(a, b, shape,
                                  [](Complex x, Complex y) { return x + Complex(-y.imag(), y.real()); });
  return map2<Complex, Complex>(a, b, shape,
                                [](Complex x, Complex y) { return Complex(x.real(), y.real()); });
}

}  // namespace quill
