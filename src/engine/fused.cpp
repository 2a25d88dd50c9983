#include "engine/fused.h"

#include <cmath>
#include <memory>

#include "engine/machine.h"
#include "engine/operations.h"

namespace quill {

namespace {

// What the unit reads, with what has to be kept for it.
class Inputs {
 public:
  bool take(const FusedUnit& unit, const Value* frame) {
    if (unit.inputs.size() > fusion::kMostInputs) return false;
    std::size_t k = 0;
    for (const auto& read : unit.inputs) {
      const auto& value = frame[read.place];
      switch (value.kind()) {
        case Kind::number: inputs_[k] = fusion::Input(value.number(), read.literal); break;
        case Kind::truth: inputs_[k] = fusion::Input(value.truth()); break;
        case Kind::array: {
          const auto& array = value.array();
          if (!is_numeric(array.type()) || holds_times(array)) return false;
          inputs_[k] = fusion::Input(array);
          break;
        }
        case Kind::range:
          if (value.object<RangeObject>().count > kLongRange) return false;
          made_.push_back(std::make_unique<Array>(value.object<RangeObject>().to_array()));
          inputs_[k] = fusion::Input(*made_.back());
          break;
        default: return false;
      }
      ++k;
    }
    count_ = k;
    return true;
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
  warn_domain(machine, step.kind == fusion::StepKind::unary ? name_of(step.unary) : symbol_of(step.binary), unit.nodes[k]);
}

}  // namespace

bool evaluate_fused(Machine& machine, FusedUnit& unit, const Value* frame, Value& target) {
  Inputs inputs;
  if (!inputs.take(unit, frame)) return false;
  fusion::Fused::Outcome outcome;
  if (!unit.fused.evaluate(inputs.all(), outcome)) return false;
  if (const auto reduction = unit.fused.expression().reduction) {
    // What nan leads to is told by the reduction itself.
    if (!std::isfinite(outcome.number)) return false;
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
  for (const int step : outcome.exceeded) warn_of_step(machine, unit, step);
  target = Value(Kind::array, new ArrayObject(std::move(*outcome.array)));
  return true;
}

}  // namespace quill
