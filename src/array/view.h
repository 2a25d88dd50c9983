// Elements seen without owning them: what threads are given, since counts of owners are not for threads.
#pragma once

#include "array/element.h"
#include "array/shape.h"

namespace quill {

// Elements to read, of any layout. Whoever makes it keeps them alive.
struct View {
  ElementType type = ElementType::float64;
  const void* data = nullptr;
  Shape shape;
  Strides strides;
  template <class T>
  const T* elements() const {
    return static_cast<const T*>(data);
  }
};

}  // namespace quill
