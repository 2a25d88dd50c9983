// Arrays whose elements are read, or computed, when they are asked for: values of the language that
// operators, subscripts and built-ins see as arrays.
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
  // Operators and functions of single elements; deferred as well.
  virtual Value mapped(Unary op) const = 0;
  // `is_literal` is the other operand when it is an integer written in the text.
  virtual Value mapped(Binary op, const Value& other, bool other_is_left, bool is_literal) const = 0;
  // What subscripts choose, one for each axis; in memory when it is small.
  virtual Value selected(Runtime& runtime, std::span<const Subscript> subscripts) const = 0;
  // The elements where a mask of the same shape is true.
  virtual Value chosen(Runtime& runtime, const Value& mask) const = 0;
  // What a built-in gives of it, as its argument i, when it can be found part by part.
  virtual std::optional<Value> applied(Call& call, std::size_t i) const = 0;
  // All elements. Error when they take more memory than may be used.
  virtual Value whole(Runtime& runtime) const = 0;
};

// Null for every other value.
inline const DeferredArray* deferred_array(const Value& value) {
  return value.is(Kind::library) ? dynamic_cast<const DeferredArray*>(&value.object<LibraryObject>())
                                 : nullptr;
}

// A value that needs no more reading: all elements of an array that is not in memory, any other value as it
// is.
inline Value in_memory(Runtime& runtime, const Value& value) {
  const auto* array = deferred_array(value);
  return array ? array->whole(runtime) : value;
}

}  // namespace quill
