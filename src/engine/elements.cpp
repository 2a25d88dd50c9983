#include "engine/elements.h"

#include <limits>
#include <optional>

#include "array/scalar.h"
#include "compiler/operations_table.h"
#include "value/construct.h"

namespace quill {

namespace elements {
namespace {

template <class T>
void set_single(Value& target, T element) {
  if (target.is(Kind::array)) {
    auto& object = target.object<ArrayObject>();
    auto& a = object.array;
    if (object.use_count() == 1 && a.type() == type_of<T> && a.axes() == 0 && !a.label &&
        !a.shares_storage()) {
      *a.template mutable_data<T>() = element;
      return;
    }
  }
  target = Value::array(Array::of<T>({}, std::span(&element, 1)));
}

// The number as an integer of the type, if it is one.
template <class T>
std::optional<T> exactly(double number) {
  // Both bounds are exact in float64: the upper one is excluded.
  constexpr double low = static_cast<double>(std::numeric_limits<T>::min());
  constexpr double beyond = -2 * (static_cast<double>(std::numeric_limits<T>::min()) / 2) + 0.0;
  const double high = std::is_signed_v<T> ? beyond : 256.0;
  static_assert(std::is_signed_v<T> || sizeof(T) == 1);
  if (!(number >= low && number < high)) return std::nullopt;
  const auto whole = static_cast<T>(number);
  if (static_cast<double>(whole) != number) return std::nullopt;
  return whole;
}

// Whether the value is a single element of an integer array.
bool is_single(const Value& v, ElementType type) {
  return v.is(Kind::array) && v.array().axes() == 0 && v.array().type() == type && !v.array().label;
}
template <class T>
T single(const Value& v) {
  return *v.array().data<T>();
}

template <class T>
bool write_integer(Array& a, Index offset, const Value& value) {
  if (is_single(value, type_of<T>)) {
    const T element = single<T>(value);
    a.mutable_data<T>()[offset] = element;
    return true;
  }
  if (!value.is_number()) return false;
  const auto whole = exactly<T>(value.number());
  if (whole) a.mutable_data<T>()[offset] = *whole;
  return whole.has_value();
}

std::optional<bool> compared(Op op, double x, double y) {
  switch (op) {
#define QUILL_CASE(name, functor, ...) \
  case Op::name: return scalar::functor{}(x, y);
    QUILL_COMPARISON_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
    default: return std::nullopt;
  }
}

// Arithmetic of two numbers; power, which has a domain, is handled elsewhere.
bool combine_numbers(Op op, Value& target, double x, double y) {
  switch (op) {
    case Op::add: target.set_number(x + y); return true;
    case Op::subtract: target.set_number(x - y); return true;
    case Op::multiply: target.set_number(x * y); return true;
    case Op::divide: target.set_number(x / y); return true;
    case Op::remainder: target.set_number(scalar::Remainder{}(x, y)); return true;
    default: return false;
  }
}

template <class T>
bool combine_integers(Op op, Value& target, T x, T y) {
  T out{};
  switch (op) {
    case Op::add:
      if (__builtin_add_overflow(x, y, &out)) return false;
      break;
    case Op::subtract:
      if (std::is_unsigned_v<T> || __builtin_sub_overflow(x, y, &out)) return false;
      break;
    case Op::multiply:
      if (__builtin_mul_overflow(x, y, &out)) return false;
      break;
    case Op::divide: target.set_number(static_cast<double>(x) / static_cast<double>(y)); return true;
    case Op::remainder:
      if (y == 0) return false;
      out = checked_remainder(x, y);
      break;
    default: {
      // Integers of one type are compared as integers.
      switch (op) {
#define QUILL_CASE(name, functor, ...) \
  case Op::name: target.set_boolean(scalar::functor{}(x, y)); return true;
        QUILL_COMPARISON_OPERATORS(QUILL_CASE)
#undef QUILL_CASE
        default: return false;
      }
    }
  }
  set_single(target, out);
  return true;
}

template <class T>
bool operate_of(Op op, Value& target, const Value& a, const Value& b, std::uint8_t flags) {
  const bool left = is_single(a, type_of<T>), right = is_single(b, type_of<T>);
  if (left && right) return combine_integers<T>(op, target, single<T>(a), single<T>(b));
  const Value& other = left ? b : a;
  if (!(left || right) || !other.is_number()) return false;
  const T mine = left ? single<T>(a) : single<T>(b);
  const double number = other.number();
  // An integer literal takes the type; other numbers make the operation float64.
  if (flags & (left ? kRightLiteral : kLeftLiteral)) {
    const auto whole = exactly<T>(number);
    if (whole)
      return left ? combine_integers<T>(op, target, mine, *whole)
                  : combine_integers<T>(op, target, *whole, mine);
    if (std::trunc(number) == number) return false;
  }
  if (sizeof(T) == sizeof(std::int64_t) && std::fabs(static_cast<double>(mine)) > 0x1p53) return false;
  const auto value = static_cast<double>(mine);
  const double x = left ? value : number, y = left ? number : value;
  if (const auto boolean = compared(op, x, y)) {
    target.set_boolean(*boolean);
    return true;
  }
  return combine_numbers(op, target, x, y);
}

}  // namespace
}  // namespace elements

std::optional<std::int64_t> single_integer(const Value& value) {
  if (!value.is(Kind::array) || value.array().axes() != 0) return std::nullopt;
  const auto& a = value.array();
  switch (a.type()) {
    case ElementType::int32: return *a.data<std::int32_t>();
    case ElementType::int64: return *a.data<std::int64_t>();
    case ElementType::uint8: return *a.data<std::uint8_t>();
    default: return std::nullopt;
  }
}

bool read_element(Value& target, const Array& a, Index offset) {
  using namespace elements;
  if (a.type() == ElementType::float64 && !holds_times(a)) {
    target.set_number(a.data<double>()[offset]);
    return true;
  }
  if (auto element = element_at(a, offset)) {
    target = std::move(*element);
    return true;
  }
  if (a.type() == ElementType::boolean) {
    target.set_boolean(a.data<bool>()[offset]);
    return true;
  }
  if (a.label) return false;  // which elements of other types keep
  switch (a.type()) {
    case ElementType::int32: set_single(target, a.data<std::int32_t>()[offset]); return true;
    case ElementType::int64: set_single(target, a.data<std::int64_t>()[offset]); return true;
    case ElementType::uint8: set_single(target, a.data<std::uint8_t>()[offset]); return true;
    case ElementType::float32: set_single(target, a.data<float>()[offset]); return true;
    case ElementType::complex128: set_single(target, a.data<Complex>()[offset]); return true;
    default: return false;
  }
}

void set_single_integer(Value& target, ElementType type, std::int64_t x) {
  switch (type) {
    case ElementType::int32: elements::set_single(target, static_cast<std::int32_t>(x)); return;
    case ElementType::uint8: elements::set_single(target, static_cast<std::uint8_t>(x)); return;
    default: elements::set_single(target, x); return;
  }
}

bool write_element(Array& a, Index offset, const Value& value) {
  using namespace elements;
  switch (a.type()) {
    case ElementType::float64:
      if (!value.is_number()) return false;
      a.mutable_data<double>()[offset] = value.number();
      return true;
    case ElementType::boolean:
      if (!value.is(Kind::boolean)) return false;
      a.mutable_data<bool>()[offset] = value.boolean();
      return true;
    case ElementType::int32: return write_integer<std::int32_t>(a, offset, value);
    case ElementType::int64: return write_integer<std::int64_t>(a, offset, value);
    case ElementType::uint8: return write_integer<std::uint8_t>(a, offset, value);
    default: return false;
  }
}

bool operate_single(Op op, Value& target, const Value& a, const Value& b, std::uint8_t flags) {
  using namespace elements;
  const auto& of = a.is(Kind::array) ? a : b;
  if (!of.is(Kind::array) || of.array().axes() != 0) return false;
  switch (of.array().type()) {
    case ElementType::int32: return operate_of<std::int32_t>(op, target, a, b, flags);
    case ElementType::int64: return operate_of<std::int64_t>(op, target, a, b, flags);
    case ElementType::uint8: return operate_of<std::uint8_t>(op, target, a, b, flags);
    default: return false;
  }
}

}  // namespace quill
