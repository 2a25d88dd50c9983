// Reductions of ranges, which have no elements in memory.
#pragma once

#include <optional>
#include <string_view>

#include "value/value.h"

namespace quill {

// A reduction over all elements of a range, from its ends and its step; of products piece by piece. Nothing
// for reductions that are not known here, and for a range without elements.
std::optional<double> reduced(const RangeObject& range, std::string_view reduction);

}  // namespace quill
