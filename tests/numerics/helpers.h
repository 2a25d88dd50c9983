// What the tests of numerics share.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "array/array.h"
#include "base/error.h"

namespace quill::test {

inline Array vector(const std::vector<double>& v) { return Array::vector(v); }

// f at `count` points from `from` to `to`.
template <class F>
Array sampled(double from, double to, Index count, F f) {
  std::vector<double> out;
  for (Index k = 0; k < count; ++k)
    out.push_back(f(from + (to - from) * static_cast<double>(k) / static_cast<double>(count - 1)));
  return vector(out);
}

// The message of the error that f ends with; "" when there is none.
inline std::string message_of(const std::function<void()>& f) {
  try {
    f();
  } catch (const Error& error) { return error.message; }
  return "";
}

}  // namespace quill::test
