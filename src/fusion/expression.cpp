#include "fusion/expression.h"

#include <fmt/format.h>

#include <algorithm>

namespace quill::fusion {

int Expression::push(const Step& step) {
  steps.push_back(step);
  return static_cast<int>(steps.size()) - 1;
}

int Expression::add_input() { return push({StepKind::input, {}, {}, {inputs++, -1, -1}}); }
int Expression::add(Unary op, int operand) { return push({StepKind::unary, op, {}, {operand, -1, -1}}); }
int Expression::add(Binary op, int left, int right) {
  return push({StepKind::binary, {}, op, {left, right, -1}});
}
int Expression::add_pick(int mask, int a, int b) { return push({StepKind::pick, {}, {}, {mask, a, b}}); }

int Expression::add_conversion(ElementType type, int operand) {
  Step step;
  step.kind = StepKind::convert;
  step.type = type;
  step.from[0] = operand;
  return push(step);
}

namespace {

// Marks the steps that marked steps depend on.
void mark_needed(const std::vector<Step>& steps, std::vector<bool>& needed) {
  for (std::size_t k = steps.size(); k-- > 0;)
    if (needed[k] && steps[k].kind != StepKind::input)
      for (const int from : steps[k].from)
        if (from >= 0) needed[static_cast<std::size_t>(from)] = true;
}

}  // namespace

Expression Expression::kept(const std::vector<bool>& needed, int as_input, std::vector<int>& of) const {
  Expression out;
  out.picks_alike = picks_alike;
  std::vector<int> now(steps.size(), -1);
  for (std::size_t k = 0; k < steps.size(); ++k) {
    if (!needed[k]) continue;
    of.push_back(static_cast<int>(k));
    now[k] = static_cast<int>(out.steps.size());
    Step step = steps[k];
    if (step.kind == StepKind::input || static_cast<int>(k) == as_input) {
      step = {};
      step.from[0] = out.inputs++;
    } else {
      for (int& from : step.from)
        if (from >= 0) from = now[static_cast<std::size_t>(from)];
    }
    out.steps.push_back(step);
  }
  return out;
}

bool Expression::is_of_sums() const {
  return std::all_of(steps.begin(), steps.end(), [](const Step& step) {
    if (step.kind == StepKind::unary)
      return step.unary == Unary::negate || step.unary == Unary::abs || step.unary == Unary::logical_not;
    return step.kind != StepKind::binary || step.binary <= Binary::divide ||
           (step.binary >= Binary::equal && step.binary <= Binary::maximum);
  });
}

Expression Expression::up_to(int step, std::vector<int>& of) const {
  std::vector<bool> needed(steps.size(), false);
  needed[static_cast<std::size_t>(step)] = true;
  mark_needed(steps, needed);
  return kept(needed, -1, of);
}

Expression Expression::with_input(int step, std::vector<int>& of) const {
  std::vector<bool> needed(steps.size(), false);
  needed.back() = true;
  auto cut = steps;
  cut[static_cast<std::size_t>(step)].kind = StepKind::input;
  mark_needed(cut, needed);
  auto out = kept(needed, step, of);
  out.reduction = reduction;
  out.divides = divides;
  return out;
}

namespace {

std::string text_of(const Expression& e, int k) {
  const auto& s = e.steps[static_cast<std::size_t>(k)];
  const auto part = [&](int n) { return text_of(e, s.from[n]); };
  switch (s.kind) {
    case StepKind::input: return fmt::format("x{}", s.from[0] + 1);
    case StepKind::unary:
      if (s.unary == Unary::negate) return fmt::format("-{}", part(0));
      return fmt::format("{}({})", name_of(s.unary), part(0));
    case StepKind::binary:
      if (s.binary >= Binary::minimum)
        return fmt::format("{}({}, {})", symbol_of(s.binary), part(0), part(1));
      return fmt::format("({} {} {})", part(0), symbol_of(s.binary), part(1));
    case StepKind::convert: return fmt::format("{}({})", name_of(s.type), part(0));
    case StepKind::pick: return fmt::format("pick({}, {}, {})", part(0), part(1), part(2));
  }
  return {};
}

}  // namespace

std::string dump(const Expression& expression) {
  auto text = text_of(expression, static_cast<int>(expression.steps.size()) - 1);
  if (expression.selected >= 0) text = fmt::format("x{}[{}]", expression.selected + 1, text);
  return expression.reduction ? fmt::format("{}({})", name_of(*expression.reduction), text) : text;
}

}  // namespace quill::fusion
