// Numbers that are known before a program runs.
#pragma once

#include <optional>

#include "language/tree.h"

namespace quill {

// The number that a literal, or an expression of literals only, stands for; nothing when it is not finite or
// anything else stands in it.
std::optional<double> constant_of(const Node& node);
// Whether that is an integer made of integers alone, which takes the type of an integer beside it:
// what is divided or has a fraction on the way is a real number, and so is what no integer type holds.
bool is_whole_literal(const Node& node);

}  // namespace quill
