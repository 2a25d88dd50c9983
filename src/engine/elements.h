// Fast paths of the machine for reading, writing and combining single elements. Each returns false, having
// changed nothing, in cases that the general code has to handle (conversions that may fail, other types,
// overflow). None throws.
#pragma once

#include <cmath>
#include <cstdint>
#include <optional>
#include <span>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

// The value of a single element of an integer array; empty for other values.
std::optional<std::int64_t> single_integer(const Value& value);

// Adds the offset, along an axis, of the element that a subscript selects; false unless the subscript is an
// integer within the axis.
inline bool add_offset(const Array& a, int axis, const Value& subscript, Index& offset) {
  Index position = 0;
  if (subscript.is_number()) {
    const double p = subscript.number();
    position = static_cast<Index>(p >= 1 && p <= static_cast<double>(a.extent(axis)) ? p : 0);
    if (static_cast<double>(position) != p) return false;
  } else {
    position = single_integer(subscript).value_or(0);
  }
  if (position < 1 || position > a.extent(axis)) return false;
  offset += (position - 1) * a.strides()[axis];
  return true;
}

// Finds the offset of the element that one subscript for each axis selects. False unless each is an integer
// within its axis. Offsets may be negative: axes may run backwards.
inline bool find_element(const Array& a, const Value* subscripts, int count, Index& offset) {
  if (a.axes() != count) return false;
  offset = 0;
  if (count == 1) return add_offset(a, 0, subscripts[0], offset);
  if (count == 2) return add_offset(a, 0, subscripts[0], offset) && add_offset(a, 1, subscripts[1], offset);
  for (int k = 0; k < count; ++k)
    if (!add_offset(a, k, subscripts[k], offset)) return false;
  return true;
}

// The same for any value; false if it is not an array of plain numbers or booleans.
inline bool find_element(const Value& base, const Value* subscripts, int count, Index& offset) {
  if (!base.is(Kind::array)) return false;
  const auto& a = base.array();
  return is_numeric(a.type()) && !holds_times(a) && find_element(a, subscripts, count, offset);
}

// Sets target to the element, of any type; reuses the storage of a single element in target.
bool read_element(Value& target, const Array& a, Index offset);

// Sets target to an integer as a single element of that type.
void set_single_integer(Value& target, ElementType type, std::int64_t x);

// Stores a single value in an element of an unshared array.
bool write_element(Array& a, Index offset, const Value& value);

// target = a op b for single integers of one type, or one and a number. The flags say which are literals.
bool operate_single(Op op, Value& target, const Value& a, const Value& b, std::uint8_t flags);

}  // namespace quill
