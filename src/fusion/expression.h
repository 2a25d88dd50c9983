// Elementwise expressions as data: what is computed of which inputs, whatever their shapes.
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
  int from[3] = {-1, -1, -1};  // the steps of the operands; of an input, its number
  ElementType type{};          // that it is converted to
};

// Steps in the order of their calculation; the last one is the result.
struct Expression {
  std::vector<Step> steps;
  int inputs = 0;
  std::optional<Reduction> reduction;  // of all elements of the result
  bool divides = false;                // the sum is divided by the count: integers are added up as float64
  int selected = -1;         // the input that is reduced where the result is true; -1: the result itself
  bool picks_alike = false;  // what pick chooses from must have one type

  int add_input();
  int add(Unary op, int operand);
  int add(Binary op, int left, int right);
  int add_pick(int mask, int a, int b);
  int add_conversion(ElementType type, int operand);
  // What leads to a step, as an expression of its own; `of` gets the number here of each of its steps.
  Expression up_to(int step, std::vector<int>& of) const;
  // With an input in the place of a step and of what only that needs; `of` as above.
  Expression with_input(int step, std::vector<int>& of) const;
  // Whether all operations are sums, products and the like, which take a nanosecond each and have a result
  // for all numbers.
  bool is_of_sums() const;
  int operations() const { return static_cast<int>(steps.size()) - inputs; }

 private:
  int push(const Step& step);
  Expression kept(const std::vector<bool>& needed, int as_input, std::vector<int>& of) const;
};

// "sum(exp(-(x1 * x1)) + x2)", for tests.
std::string dump(const Expression& expression);

}  // namespace quill::fusion
