// Numbers that are known before a program runs.
#pragma once

#include <optional>

#include "language/tree.h"

namespace quill {

// The number that a literal, or an expression of literals only, stands for; nothing when it is not finite or
// anything else stands in it.
std::optional<double> constant_of(const Node& node);

}  // namespace quill
