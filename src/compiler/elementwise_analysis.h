// Decides which functions may be called with vectors instead of single numbers.
#pragma once

#include <span>

#include "value/registry.h"

namespace quill {

// Whether f with vectors for the varying arguments is certain to give the vector of its results for each
// element: its body is one expression of elementwise operators and functions, single numbers, vector elements
// and calls of such functions. Outer names count with their current values.
bool is_elementwise(const Value& function, std::span<const Role> arguments);

}  // namespace quill
