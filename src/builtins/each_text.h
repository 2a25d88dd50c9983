// Functions applied to each text of an array.
#pragma once

#include <fmt/format.h>

#include "array/strided.h"
#include "value/registry.h"

namespace quill {

// Argument i as texts.
inline Array texts(const Call& call, std::size_t i) {
  auto a = call.array(i);
  if (a.type() != ElementType::text)
    call.fail_argument(
        i, fmt::format("must be a text or an array of texts, not {}", kind_in_words(call.value(i))));
  return a;
}

// Applies f to every text and returns an array of the same shape.
template <class R, class F>
Value each_text(const Array& a, F f) {
  Array out(type_of<R>, a.shape());
  R* to = out.mutable_data<R>();
  for_each_run<1>(a.shape(), {a.strides()}, [&](const auto& at, const auto& step, Index n) {
    const auto* from = a.data<std::string>() + at[0];
    for (Index i = 0; i < n; ++i) *to++ = f(from[i * step[0]]);
  });
  return Value::array(std::move(out));
}

}  // namespace quill
