// Kernels: one operation over a block of elements, in vector instructions of the processor. All instruction
// sets give the same bits.
#pragma once

#include <string_view>

#include "array/elementwise.h"

namespace quill::fusion {

enum class InstructionSet : std::uint8_t { baseline, avx2, avx512 };
std::string_view name_of(InstructionSet set);
// The best instruction set of this processor.
InstructionSet best_instruction_set();

// Which of two operands is a single element for the whole block.
enum class Single : std::uint8_t { none, left, right, both };

// Fused patterns x y + z, x y - z, z - x y.
enum class ProductWith : std::uint8_t { plus, minus, from };

// Operands and result of a block; the result may overlap an operand of at least its size. Sets `exceeded` if
// a function had no real result for some element (see Domain), or an integer overflowed.
using Kernel = void (*)(const void* a, const void* b, const void* c, void* out, Index n, bool* exceeded);

// Several float64 operations at once, each rounded separately.
using WideKernel = void (*)(const double* a, const double* b, const double* c, const double* d,
                            const double* e, double* out, Index n);

// All kernels of an instruction set; null where there is none.
struct Kernels {
  // Operands of the type: arithmetic and functions give the same type, comparisons booleans.
  Kernel (*binary)(Binary op, ElementType type, Single single) = nullptr;
  // x y + z, x y - z and z - x y of float64, each operation rounded separately; `single` refers to x and z,
  // of which x may be a single element.
  Kernel (*product_with)(ProductWith op, Single single) = nullptr;
  // ((a + b) + c) + d of blocks, and this times a single e.
  WideKernel sum_of_four = nullptr, scaled_sum_of_four = nullptr;
  // a b + c d for single a and c and blocks b and d; the same plus or minus a single e.
  WideKernel two_products = nullptr, two_products_plus = nullptr, two_products_minus = nullptr;
  // From float64 to float64 or booleans, `not` of booleans, and functions of integers and complex numbers.
  Kernel (*unary)(Unary op, ElementType type) = nullptr;
  // A mask, then two operands of the type, of which one or both may be single.
  Kernel (*pick)(ElementType type, Single single) = nullptr;
  Kernel (*convert)(ElementType from, ElementType to) = nullptr;
  // Differences between int64 numbers and their nearest float64 numbers.
  Kernel rest = nullptr;
  // first + k by for k = from, from + 1, …; weighted: (first (m - k) + last k) / m.
  void (*climbing)(double first, double by, Index from, double* to, Index n) = nullptr;
  void (*weighted)(double first, double last, double m, Index from, double* to, Index n) = nullptr;
  // Copies strided elements to contiguous ones, and back.
  void (*gather)(const void* from, Index step, void* to, Index n, std::size_t size) = nullptr;
  void (*scatter)(const void* from, void* to, Index step, Index n, std::size_t size) = nullptr;
  // Copies the first, third, … number to the same positions.
  void (*put_alternate)(const double* from, double* to, Index n) = nullptr;
  // Sums of blocks of kSumBlock elements (the last may be shorter), in the order defined in reduce.h.
  void (*block_sums)(const double* values, Index n, double* sums) = nullptr;
  // The largest or smallest of the elements and `so_far`; nan if there is one. -0 is less than 0.
  double (*maximum)(const double* values, Index n, double so_far) = nullptr;
  double (*minimum)(const double* values, Index n, double so_far) = nullptr;
  Index (*count)(const bool* booleans, Index n) = nullptr;
};

// Kernels of the instruction set in use: the best one unless a test selected another.
const Kernels& kernels();
InstructionSet instruction_set();
void use_instruction_set(InstructionSet set);

}  // namespace quill::fusion
