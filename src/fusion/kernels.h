// One pass of one operation over a block of elements, for the vector instructions that the processor has. All
// instruction sets give the same bits.
#pragma once

#include <string_view>

#include "array/elementwise.h"

namespace quill::fusion {

enum class InstructionSet : std::uint8_t { baseline, avx2, avx512 };
std::string_view name_of(InstructionSet set);
// The best one that this processor has.
InstructionSet best_instruction_set();

// Which of two operands is one element for the whole block.
enum class Single : std::uint8_t { none, left, right, both };

// A product and what is done with it: z is added, subtracted from it, or it from z.
enum class ProductWith : std::uint8_t { plus, minus, from };

// Operands and result of one block; the result may lie where an operand of at least its size lies. `exceeded`
// is set when a function had no real result somewhere, see Domain, or an integer did not fit its type.
using Kernel = void (*)(const void* a, const void* b, const void* c, void* out, Index n, bool* exceeded);

// A few operations on float64 in one go, each rounded by itself.
using WideKernel = void (*)(const double* a, const double* b, const double* c, const double* d,
                            const double* e, double* out, Index n);

// All kernels of one instruction set. What there is no kernel for is null.
struct Kernels {
  // Of operands of the type: arithmetic and functions into the same type, comparisons into booleans.
  Kernel (*binary)(Binary op, ElementType type, Single single) = nullptr;
  // x y + z, x y - z and z - x y of float64, each operation rounded by itself; `single` reports of x and z,
  // of which x may be one element where y is a block.
  Kernel (*product_with)(ProductWith op, Single single) = nullptr;
  // ((a + b) + c) + d of blocks, and e times that for a single e.
  WideKernel sum_of_four = nullptr, scaled_sum_of_four = nullptr;
  // a b + c d of single a and c and blocks, and e added to it or subtracted from it for a single e.
  WideKernel two_products = nullptr, two_products_plus = nullptr, two_products_minus = nullptr;
  // Of float64 (into float64, or booleans), `not` of booleans, and of whole and complex numbers.
  Kernel (*unary)(Unary op, ElementType type) = nullptr;
  // Mask, then two of the type; at most one of those is one element, or both are.
  Kernel (*pick)(ElementType type, Single single) = nullptr;
  Kernel (*convert)(ElementType from, ElementType to) = nullptr;
  // What numbers of int64 are above the nearest ones of float64, as float64.
  Kernel rest = nullptr;
  // first + k by for k = from, from + 1, …; and weighted: (first (m - k) + last k) / m.
  void (*climbing)(double first, double by, Index from, double* to, Index n) = nullptr;
  void (*weighted)(double first, double last, double m, Index from, double* to, Index n) = nullptr;
  // Elements a step apart into a row, and a row into elements a step apart.
  void (*gather)(const void* from, Index step, void* to, Index n, std::size_t size) = nullptr;
  void (*scatter)(const void* from, void* to, Index step, Index n, std::size_t size) = nullptr;
  // The first of the numbers, the third and so on, to the same places.
  void (*put_alternate)(const double* from, double* to, Index n) = nullptr;
  // The sums of blocks of kSumBlock elements, the last of which may be shorter, in the order of reduce.h.
  void (*block_sums)(const double* values, Index n, double* sums) = nullptr;
  // The largest or least element and `so_far`; nan when there is one. Of zeros of both signs it is that which
  // is larger or less by its sign.
  double (*maximum)(const double* values, Index n, double so_far) = nullptr;
  double (*minimum)(const double* values, Index n, double so_far) = nullptr;
  Index (*count)(const bool* truths, Index n) = nullptr;
};

// Of the instruction set in use: the best one, unless a test asked for another.
const Kernels& kernels();
InstructionSet instruction_set();
void use_instruction_set(InstructionSet set);

}  // namespace quill::fusion
