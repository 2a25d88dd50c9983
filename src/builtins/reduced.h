// The arguments of reductions: over which axes, and what the result keeps.
#pragma once

#include <optional>

#include "array/axis_names.h"
#include "numerics/statistics.h"
#include "value/registry.h"

namespace quill {

// An array and the axis that is reduced of it.
struct Reduced {
  Array a;
  StatisticsOptions options;
  std::optional<Shape> kept;  // of the result, when several axes stay with length 1
  AxisNames names;            // of the result

  Array in_shape(const Array& result) const {
    auto out = kept ? result.with_shape(*kept) : result;
    if (!names.empty()) set_axis_names(out, names);
    return out;
  }
};

// What the arguments over:, keep: and skip_nan: from position `at` on say of an array.
Reduced reduced(const Call& call, std::size_t at, const Array& a);

}  // namespace quill
