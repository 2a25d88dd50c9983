// Arguments of reductions.
#pragma once

#include <optional>

#include "array/axis_names.h"
#include "numerics/statistics.h"
#include "value/registry.h"

namespace quill {

// An array, and the axis to reduce.
struct Reduced {
  Array a;
  StatisticsOptions options;
  std::optional<Shape> kept;  // of the result, if several axes are kept with length 1
  AxisNames names;            // of the result

  Array in_shape(const Array& result) const {
    auto out = kept ? result.with_shape(*kept) : result;
    if (!names.empty()) set_axis_names(out, names);
    return out;
  }
};

// Warns that so many results of a reduction without nan elements are undefined.
void warn_of_undefined(const Call& call, double undefined, Index results);

// Applies the arguments over:, keep: and skip_nan:, which start at index `at`, to an array.
Reduced reduced(const Call& call, std::size_t at, const Array& a);

}  // namespace quill
