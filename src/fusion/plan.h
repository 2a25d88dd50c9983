// How an expression is calculated for inputs of known types: calls of kernels on blocks.
#pragma once

#include <array>
#include <span>
#include <string>

#include "fusion/expression.h"
#include "fusion/kernels.h"

namespace quill::fusion {

// What is known of an input before its elements.
struct InputKind {
  ElementType type = ElementType::float64;
  bool single = false;   // one element without axes
  bool literal = false;  // an integer written in the text: takes the type of integers beside it
  bool constant =
      false;  // one element for a whole block: a single one, or one that is stretched along the block
  bool operator==(const InputKind&) const = default;
};

// In the place of a step: an integer may not fit its type, and then the operations go one by one.
inline constexpr int kOverflow = 63;

// Operands and result are places: inputs, then constants, then blocks of scratch, then the result.
struct KernelCall {
  Kernel kernel = nullptr;
  WideKernel wide = nullptr;  // in its place
  std::array<int, 5> from = {-1, -1, -1, -1, -1};
  int out = -1;
  int step = -1;  // the step of the expression, when its function may have no real result; or kOverflow
};

struct Plan {
  ElementType type = ElementType::float64;          // of the result, before it is reduced
  ElementType reduced_type = ElementType::float64;  // of what it is reduced to
  std::vector<KernelCall> once;                     // of constants, one element each
  std::vector<KernelCall> calls;                    // for every block
  int inputs = 0, constants = 0, blocks = 0;
  bool has_complex = false;
  bool checks_whole = false;  // whether an integer may not fit its type
  int selected = -1;          // the place of what is reduced where the result is true; -1: the result itself
  int last = 0;               // the place where the calls leave the result

  int first_constant() const { return inputs; }
  int first_block() const { return inputs + constants; }
  int result() const { return inputs + constants + blocks; }
  int places() const { return result() + 1; }
};

// The plan, or why there is none, in words of the language: types whose arithmetic is checked step by step,
// or whose errors the operations tell one by one. With `scattered`, or where it is reduced, the result of the
// calls is left in a block of scratch; otherwise it goes to the place result().
struct Planned {
  std::optional<Plan> plan;
  std::string obstacle;
};
Planned plan_of(const Expression& expression, std::span<const InputKind> inputs, bool scattered);

}  // namespace quill::fusion
