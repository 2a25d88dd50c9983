// Kernel tables of the instruction sets, each compiled in its own file.
#pragma once

#include "fusion/kernels.h"

namespace quill::fusion {

namespace baseline {
const Kernels& table();
}
namespace avx2 {
const Kernels& table();
}
namespace avx512 {
const Kernels& table();
}

// Functions without vector form, computed element by element; shared by all instruction sets.
Kernel generic_unary(Unary op);
Kernel generic_binary(Binary op, Single single);
// For complex numbers.
Kernel complex_unary(Unary op);
Kernel complex_binary(Binary op, Single single);
Kernel convert_to_complex(ElementType from);

}  // namespace quill::fusion
