// Non-owning views of elements, as used by threads: reference counts are not thread-safe.
#pragma once

#include "array/element.h"
#include "array/shape.h"

namespace quill {

// Elements to read, of any layout. The creator keeps them alive.
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
