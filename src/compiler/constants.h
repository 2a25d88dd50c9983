// Constant expressions.
#pragma once

#include <optional>

#include "language/tree.h"

namespace quill {

// Value of a literal or an expression of literals; nothing if it is not finite, or other nodes occur.
std::optional<double> constant_of(const Node& node);
// Whether it consists of integers only, so that it takes the type of an integer beside it. Divisions,
// fractions and numbers beyond all integer types make it a real number.
bool is_whole_literal(const Node& node);

}  // namespace quill
