// Arrays whose elements are read or computed on demand. Operators, subscripts and built-ins treat them as
// arrays.
#pragma once

#include "array/elementwise.h"
#include "array/index.h"
#include "value/value.h"

namespace quill {

class Call;

class DeferredArray : public LibraryObject {
 public:
  virtual const Shape& shape() const = 0;
  virtual ElementType element_type() const = 0;
  // Applies an elementwise operation; the result is deferred as well.
  virtual Value mapped(Unary op) const = 0;
  // `is_literal`: the other operand is an integer literal in the program text.
  virtual Value mapped(Binary op, const Value& other, bool other_is_left, bool is_literal) const = 0;
  // The last two axes exchanged; there are at least two.
  virtual Value transposed() const = 0;
  // The selection by one subscript for each axis; in memory if it is small.
  virtual Value selected(Runtime& runtime, std::span<const Subscript> subscripts) const = 0;
  // The elements where a mask of the same shape is true.
  virtual Value chosen(Runtime& runtime, const Value& mask) const = 0;
  // Result of a built-in with this array as argument i, if it can be computed part by part.
  virtual std::optional<Value> applied(Call& call, std::size_t i) const = 0;
  // All elements in memory. Throws Error if that exceeds the memory limit.
  virtual Value whole(Runtime& runtime) const = 0;
};

// Null for other values.
inline const DeferredArray* deferred_array(const Value& value) {
  return value.is(Kind::library) ? dynamic_cast<const DeferredArray*>(&value.object<LibraryObject>())
                                 : nullptr;
}

// The value in memory: all elements of a deferred array; any other value unchanged.
inline Value in_memory(Runtime& runtime, const Value& value) {
  const auto* array = deferred_array(value);
  return array ? array->whole(runtime) : value;
}

}  // namespace quill
