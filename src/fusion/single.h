// Expressions of one operation, for operands of any types.
#pragma once

#include "fusion/evaluate.h"

namespace quill::fusion {

// Each is made once and stays.
Fused& single_operation(Unary op);
Fused& single_operation(Binary op);

}  // namespace quill::fusion
