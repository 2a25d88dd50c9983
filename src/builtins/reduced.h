// The arguments of reductions: over which axes, and what the result keeps.
#pragma once

#include <optional>

#include "numerics/statistics.h"
#include "value/registry.h"

namespace quill {

// An array and the axis that is reduced of it.
struct Reduced {
  Array a;
  StatisticsOptions options;
  std::optional<Shape> kept;  // of the result, when several axes stay with length 1

  Array in_shape(const Array& result) const { return kept ? result.with_shape(*kept) : result; }
};

// What the arguments over:, keep: and skip_nan: from position `at` on say of an array.
Reduced reduced(const Call& call, std::size_t at, const Array& a);

}  // namespace quill
