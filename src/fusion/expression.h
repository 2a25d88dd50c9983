// Elementwise expressions as data, independent of shapes.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "array/elementwise.h"
#include "array/reduce.h"

namespace quill::fusion {

enum class StepKind : std::uint8_t { input, unary, binary, pick, convert };

// One step: an input, or an operation on earlier steps.
struct Step {
  StepKind kind = StepKind::input;
  Unary unary{};
  Binary binary{};
  int from[3] = {-1, -1, -1};  // steps of the operands; for an input, its number
  ElementType type{};          // type that it is converted to
};

// Steps in evaluation order; the last one is the result.
struct Expression {
  std::vector<Step> steps;
  int inputs = 0;
  std::optional<Reduction> reduction;  // over all elements of the result
  bool divides = false;                // the sum is divided by the count; integers are added as float64
  int selected = -1;         // the input to reduce where the result is true; -1: reduces the result itself
  bool picks_alike = false;  // both alternatives of pick must have one type

  int add_input();
  int add(Unary op, int operand);
  int add(Binary op, int left, int right);
  int add_pick(int mask, int a, int b);
  int add_conversion(ElementType type, int operand);
  // The steps that a step depends on, as an expression; `of` receives the new number of each of its steps.
  Expression up_to(int step, std::vector<int>& of) const;
  // The expression with an input replacing a step and everything that only this step needs; `of` as above.
  Expression with_input(int step, std::vector<int>& of) const;
  // Whether all operations are sums, products and the like: about a nanosecond each, defined for all numbers.
  bool is_of_sums() const;
  int operations() const { return static_cast<int>(steps.size()) - inputs; }

 private:
  int push(const Step& step);
  Expression kept(const std::vector<bool>& needed, int as_input, std::vector<int>& of) const;
};

// "sum(exp(-(x1 * x1)) + x2)"; for tests.
std::string dump(const Expression& expression);

}  // namespace quill::fusion
