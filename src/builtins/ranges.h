// Reductions of ranges without creating their elements.
#pragma once

#include <optional>
#include <string_view>

#include "value/value.h"

namespace quill {

// Reduction over all elements of a range from its ends and step; products piece by piece. Nothing for other
// reductions and empty ranges.
std::optional<double> reduced(const RangeObject& range, std::string_view reduction);

}  // namespace quill
