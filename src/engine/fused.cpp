#include "engine/fused.h"

#include <algorithm>
#include <cmath>
#include <memory>

#include "engine/machine.h"
#include "engine/operations.h"

namespace quill {

namespace {

// What an expression reads, with what has to be kept for it.
class Inputs {
 public:
  bool take(const FusedUnit& unit, const Value* frame) {
    if (unit.inputs.size() > fusion::kMostInputs) return false;
    for (const auto& read : unit.inputs)
      if (!add(frame[read.place], read.literal)) return false;
    return true;
  }
  void add(const Array& array) { inputs_[count_++] = fusion::Input(array); }
  // False for a value that does not go in one pass.
  bool add(const Value& value, bool literal) {
    auto& input = inputs_[count_++];
    switch (value.kind()) {
      case Kind::number: input = fusion::Input(value.number(), literal); return true;
      case Kind::truth: input = fusion::Input(value.truth()); return true;
      case Kind::array: {
        const auto& array = value.array();
        if (!is_numeric(array.type()) || holds_times(array)) return false;
        input = fusion::Input(array);
        return true;
      }
      case Kind::range:
        if (value.object<RangeObject>().count > kLongRange) return false;
        made_.push_back(std::make_unique<Array>(value.object<RangeObject>().to_array()));
        input = fusion::Input(*made_.back());
        return true;
      default: return false;
    }
  }
  std::span<const fusion::Input> all() const { return {inputs_.data(), count_}; }

 private:
  static constexpr Index kLongRange = 1 << 16;
  std::array<fusion::Input, fusion::kMostInputs> inputs_;
  std::size_t count_ = 0;
  std::vector<std::unique_ptr<Array>> made_;
};

void warn_of_step(Machine& machine, FusedUnit& unit, int number) {
  const auto k = static_cast<std::size_t>(number);
  const auto& step = unit.fused.expression().steps[k];
  warn_domain(machine, step.kind == fusion::StepKind::unary ? name_of(step.unary) : symbol_of(step.binary),
              unit.nodes[k]);
}

}  // namespace

namespace {

// For who asks what became of the expression.
void count_pass(FusedUnit& unit, Index elements) {
  ++unit.passes;
  unit.elements = std::max(unit.elements, elements);
}
bool refuse(FusedUnit& unit, const std::string& obstacle) {
  ++unit.refusals;
  if (unit.obstacle != obstacle) unit.obstacle = obstacle;
  return false;
}
const std::string kOdd = "there is more in it than numbers and truth values";

}  // namespace

bool evaluate_fused(Machine& machine, FusedUnit& unit, const Value* frame, Value& target) {
  Inputs inputs;
  // Ranges know their sums and ends.
  if (unit.fused.expression().operations() == 0 && !frame[unit.inputs[0].place].is(Kind::array)) return false;
  if (!inputs.take(unit, frame)) return refuse(unit, kOdd);
  fusion::Fused::Outcome outcome;
  if (!unit.fused.evaluate(inputs.all(), outcome)) return refuse(unit, unit.fused.obstacle());
  if (const auto reduction = unit.fused.expression().reduction) {
    // What nan leads to is told by the reduction itself.
    if (!std::isfinite(outcome.number))
      return refuse(unit, "the result is not finite, and the elements are looked at again");
    count_pass(unit, outcome.size);
    const bool counts = outcome.type == ElementType::boolean;
    if (unit.divides_by_count) outcome.number /= static_cast<double>(outcome.size);
    if (unit.divides_by_count && outcome.size == 0) return false;
    for (const int step : outcome.exceeded) warn_of_step(machine, unit, step);
    if (counts && !unit.divides_by_count)
      target = Value::array(Array::filled<std::int64_t>({}, static_cast<std::int64_t>(outcome.number)));
    else
      target.set_number(outcome.number);
    return true;
  }
  count_pass(unit, outcome.array->size());
  for (const int step : outcome.exceeded) warn_of_step(machine, unit, step);
  target = Value(Kind::array, new ArrayObject(std::move(*outcome.array)));
  return true;
}

namespace {

// More elements take so long that a stop must be heard: they are calculated first, and then put in their
// places.
constexpr Index kMostInPlace = Index{1} << 20, kMostOfSums = Index{1} << 23;

// Whether all operations are sums, products and the like, which take a nanosecond each.
bool is_of_sums(const fusion::Expression& expression) {
  return std::all_of(expression.steps.begin(), expression.steps.end(), [](const fusion::Step& step) {
    if (step.kind == fusion::StepKind::unary)
      return step.unary == Unary::negate || step.unary == Unary::abs || step.unary == Unary::logical_not;
    return step.kind != fusion::StepKind::binary || step.binary <= Binary::divide ||
           (step.binary >= Binary::equal && step.binary <= Binary::maximum);
  });
}

bool is_same_view(const Array& a, const Array& b) {
  return a.offset() == b.offset() && a.shape() == b.shape() && a.strides() == b.strides();
}

// Whether the elements may be written while the inputs are read: nobody else sees the storage, and what is
// read of it is read before it is written.
bool may_write(FusedUnit& unit, const Value* frame, const Value& base, const Array& target) {
  const auto& whole = base.array();
  if (base.object<ArrayObject>().use_count() != 1 ||
      target.size() > (is_of_sums(unit.fused.expression()) ? kMostOfSums : kMostInPlace))
    return false;
  unsigned holders = 2;  // the array and the view
  for (const auto& read : unit.inputs) {
    const auto& value = frame[read.place];
    if (!value.is(Kind::array) || value.array().buffer() != whole.buffer()) continue;
    const auto& array = value.array();
    if (!is_same_view(array, target) && !are_apart(whole, array, target)) return false;
    if (&array == &whole) continue;
    if (!read.spare || value.object<ArrayObject>().use_count() != 1) return false;
    ++holders;
  }
  return whole.buffer()->use_count() == holders;
}

}  // namespace

bool evaluate_fused_set(Machine& machine, FusedUnit& unit, Value* frame, Value& base,
                        std::span<const Value> subscripts) {
  Inputs inputs;
  if (!base.is(Kind::array) || is_time(base) || !inputs.take(unit, frame)) return refuse(unit, kOdd);
  fusion::Fused::Outcome outcome;
  auto target = chosen_view(base.array(), subscripts);
  if (unit.updates) {
    if (!target || !is_numeric(target->type()))
      return refuse(unit, "it changes elements that are chosen by a condition or a list");
    inputs.add(*target);
  }
  if (target && target->axes() > 0 && may_write(unit, frame, base, *target) &&
      unit.fused.evaluate_into(inputs.all(), *target, outcome)) {
    count_pass(unit, target->size());
    for (const int step : outcome.exceeded) warn_of_step(machine, unit, step);
    return true;
  }
  if (!unit.fused.evaluate(inputs.all(), outcome)) return refuse(unit, unit.fused.obstacle());
  count_pass(unit, outcome.array->size());
  for (const int step : outcome.exceeded) warn_of_step(machine, unit, step);
  const Value made = Value::array(std::move(*outcome.array));
  target.reset();
  // Views of the array would keep it from being changed in place.
  for (const auto& read : unit.inputs)
    if (read.spare) frame[read.place].reset();
  set_elements(base, subscripts, made);
  return true;
}

namespace {

// An expression of one operation, for whatever operands come.
fusion::Fused& single(Unary op) {
  static std::array<std::unique_ptr<fusion::Fused>, static_cast<std::size_t>(Unary::is_inf) + 1> all;
  auto& fused = all[static_cast<std::size_t>(op)];
  if (!fused) {
    fused = std::make_unique<fusion::Fused>();
    fused->expression().add(op, fused->expression().add_input());
  }
  return *fused;
}
fusion::Fused& single(Binary op) {
  static std::array<std::unique_ptr<fusion::Fused>, static_cast<std::size_t>(Binary::bessel_y) + 1> all;
  auto& fused = all[static_cast<std::size_t>(op)];
  if (!fused) {
    fused = std::make_unique<fusion::Fused>();
    const int left = fused->expression().add_input();
    fused->expression().add(op, left, fused->expression().add_input());
  }
  return *fused;
}

std::optional<Array> evaluate_single(fusion::Fused& fused, const Inputs& inputs, Domain& domain) {
  fusion::Fused::Outcome outcome;
  if (!fused.evaluate(inputs.all(), outcome)) return std::nullopt;
  domain.exceeded |= !outcome.exceeded.empty();
  return std::move(*outcome.array);
}

}  // namespace

std::optional<Array> operate_fused(Unary op, const Value& a, Domain& domain) {
  Inputs inputs;
  if (!inputs.add(a, false)) return std::nullopt;
  return evaluate_single(single(op), inputs, domain);
}

std::optional<Array> operate_fused(Binary op, const Value& a, bool a_literal, const Value& b, bool b_literal,
                                   Domain& domain) {
  Inputs inputs;
  if (!inputs.add(a, a_literal) || !inputs.add(b, b_literal)) return std::nullopt;
  return evaluate_single(single(op), inputs, domain);
}

}  // namespace quill
