// The tables of the instruction sets, each made by a file that is compiled for it.
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

// Functions without vector forms, element by element; the same for all instruction sets.
Kernel generic_unary(Unary op);
Kernel generic_binary(Binary op, Single single);
// Of complex numbers.
Kernel complex_unary(Unary op);
Kernel complex_binary(Binary op, Single single);
Kernel convert_to_complex(ElementType from);

}  // namespace quill::fusion
