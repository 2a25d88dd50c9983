// Cached expressions of one operation, for operands of any type.
#pragma once

#include "fusion/evaluate.h"

namespace quill::fusion {

// Created once and never freed.
Fused& single_operation(Unary op);
Fused& single_operation(Binary op);

}  // namespace quill::fusion
