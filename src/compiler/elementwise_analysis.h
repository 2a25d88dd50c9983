// Which functions of the language may be given whole vectors in place of single numbers.
#pragma once

#include <span>

#include "value/registry.h"

namespace quill {

// Whether f(x) for a vector of numbers in the place of the varying arguments is surely the vector of f for
// each of them: its body is one expression of elementwise operators and functions, single numbers, elements
// of vectors, and calls of functions of this kind. Names from outside count with the value that they have
// now.
bool is_elementwise(const Value& function, std::span<const Role> arguments);

}  // namespace quill
