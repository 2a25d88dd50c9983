// Loops over the elements of one or two operands into a new array.
#pragma once

#include "array/elementwise.h"
#include "array/strided.h"

namespace quill {

// Applies a binary operation to one run; contiguous and single-number operands have loops that compilers
// vectorise.
template <class T, class R, class F>
void run_binary(const T* a, Index sa, const T* b, Index sb, R* out, Index n, F f) {
  if (sa == 1 && sb == 1)
    for (Index i = 0; i < n; ++i) out[i] = f(a[i], b[i]);
  else if (sa == 1 && sb == 0) {
    const T y = *b;
    for (Index i = 0; i < n; ++i) out[i] = f(a[i], y);
  } else if (sa == 0 && sb == 1) {
    const T x = *a;
    for (Index i = 0; i < n; ++i) out[i] = f(x, b[i]);
  } else
    for (Index i = 0; i < n; ++i) out[i] = f(a[i * sa], b[i * sb]);
}

template <class T, class R, class F>
Array map2(const Operand& a, const Operand& b, const Shape& shape, F f) {
  Array out(type_of<R>, shape);
  R* to = out.mutable_data<R>();
  const auto* x = static_cast<const T*>(a.data);
  const auto* y = static_cast<const T*>(b.data);
  for_each_run<3>(shape,
                  {stretched_strides(a.shape, a.strides, shape), stretched_strides(b.shape, b.strides, shape),
                   out.strides()},
                  [&](const auto& at, const auto& step, Index n) {
                    run_binary<T, R>(x + at[0], step[0], y + at[1], step[1], to + at[2], n, f);
                  });
  return out;
}

template <class T, class R, class F>
Array map1(const Operand& a, F f) {
  Array out(type_of<R>, a.shape);
  R* to = out.mutable_data<R>();
  const auto* x = static_cast<const T*>(a.data);
  for_each_run<2>(a.shape, {a.strides, out.strides()}, [&](const auto& at, const auto& step, Index n) {
    const T* from = x + at[0];
    R* target = to + at[1];
    if (step[0] == 1)
      for (Index i = 0; i < n; ++i) target[i] = f(from[i]);
    else
      for (Index i = 0; i < n; ++i) target[i] = f(from[i * step[0]]);
  });
  return out;
}

// The operand converted to an element type; `hold` owns the converted elements.
Operand in_type(const Operand& a, ElementType type, Array& hold);

}  // namespace quill
