// Single elements without the general way over arrays: the fast paths of the machine for reading, writing and
// combining them. Each returns false where the general way decides (conversions that may fail, other types,
// overflow); nothing has changed then. None of them throws.
#pragma once

#include <cmath>
#include <span>

#include "compiler/program.h"
#include "value/value.h"

namespace quill {

// Offset of the element that `count` subscripts select; -1 unless each is an integer within its axis.
inline Index plain_offset(const Array& a, const Value* subscripts, int count) {
  if (a.axes() != count) return -1;
  Index offset = 0;
  for (int k = 0; k < count; ++k) {
    if (!subscripts[k].is_number()) return -1;
    const double p = subscripts[k].number();
    const auto place = static_cast<Index>(p >= 1 && p <= static_cast<double>(a.extent(k)) ? p : 0);
    if (place == 0 || static_cast<double>(place) != p) return -1;
    offset += (place - 1) * a.strides()[k];
  }
  return offset;
}

// The same for any value; -1 if it is not an array of plain numbers or booleans.
inline Index plain_offset(const Value& base, const Value* subscripts, int count) {
  if (!base.is(Kind::array)) return -1;
  const auto& a = base.array();
  return !is_numeric(a.type()) || holds_times(a) ? -1 : plain_offset(a, subscripts, count);
}

// target = the element; the storage of a single element in the target is used again.
bool read_element(Value& target, const Array& a, Index offset);

// Stores a single value in an element of an array whose storage is not shared.
bool write_element(Array& a, Index offset, const Value& value);

// target = a op b for single integers of one type, or one and a number. The flags say which are literals.
bool operate_single(Op op, Value& target, const Value& a, const Value& b, std::uint8_t flags);

}  // namespace quill
