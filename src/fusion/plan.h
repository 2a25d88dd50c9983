// Plan of an expression for inputs of known types: kernel calls on blocks.
#pragma once

#include <array>
#include <span>
#include <string>

#include "fusion/expression.h"
#include "fusion/kernels.h"

namespace quill::fusion {

// Facts about an input that do not depend on its elements.
struct InputKind {
  ElementType type = ElementType::float64;
  bool single = false;    // one element without axes
  bool literal = false;   // an integer literal, which takes the type of integers beside it
  bool constant = false;  // one element for a whole block: single, or stretched along the block
  bool operator==(const InputKind&) const = default;
};

// Pseudo step that reports an integer overflow, after which the operations run one by one.
inline constexpr int kOverflow = 63;

// Operands and result are numbered: inputs, constants, blocks of scratch memory, result.
struct KernelCall {
  Kernel kernel = nullptr;
  WideKernel wide = nullptr;  // used instead if not null
  std::array<int, 5> from = {-1, -1, -1, -1, -1};
  int out = -1;
  int step = -1;  // step of the expression whose function may have no real result, or kOverflow
};

struct Plan {
  ElementType type = ElementType::float64;          // of the result before reduction
  ElementType reduced_type = ElementType::float64;  // of the reduction
  std::vector<KernelCall> once;                     // for constants, one element each
  std::vector<KernelCall> calls;                    // for every block
  int inputs = 0, constants = 0, blocks = 0;
  bool has_complex = false;
  bool checks_whole = false;  // integers may overflow
  int selected = -1;          // operand that is reduced where the result is true; -1: the result itself
  int last = 0;               // operand number that receives the final result

  int first_constant() const { return inputs; }
  int first_block() const { return inputs + constants; }
  int result() const { return inputs + constants + blocks; }
  int operands() const { return result() + 1; }
};

// The plan, or the reason why there is none: types with arithmetic that is checked operation by operation, or
// with errors that operations report. With `scattered`, or for a reduction, the result is left in scratch
// memory; otherwise it is stored in the operand result().
struct Planned {
  std::optional<Plan> plan;
  std::string obstacle;
};
Planned plan_of(const Expression& expression, std::span<const InputKind> inputs, bool scattered);

}  // namespace quill::fusion
