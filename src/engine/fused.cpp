#include "engine/fused.h"

#include <algorithm>
#include <cmath>
#include <memory>

#include "array/axis_names.h"
#include "array/index.h"
#include "engine/fused_inputs.h"
#include "engine/machine.h"
#include "engine/operations.h"
#include "fusion/single.h"

namespace quill {

namespace {

void warn_of_step(Machine& machine, FusedRegion& region, int number) {
  const auto k = static_cast<std::size_t>(number);
  const auto& step = region.fused.expression().steps[k];
  warn_domain(machine, step.kind == fusion::StepKind::unary ? name_of(step.unary) : symbol_of(step.binary),
              region.nodes[k]);
}

// Statistics for explanations.
void count_pass(FusedRegion& region, Index elements) {
  ++region.passes;
  region.elements_passed = std::max(region.elements_passed, elements);
}
bool refuse(FusedRegion& region, const std::string& obstacle) {
  ++region.refusals;
  if (region.obstacle != obstacle) region.obstacle = obstacle;
  return false;
}
const std::string kOdd = "it contains other values than numbers and booleans";
const std::string kOddItems =
    "element by element, since the loops run over other values than integers or float64 vectors, or an index "
    "is out of range";

const std::string kOddChoice =
    "a mask selects nothing or has another shape, or there are other values than numbers";

// Why its values cannot be fused.
const std::string& oddity(const FusedRegion& region) {
  if (!region.loops.empty()) return kOddItems;
  return region.condition ? kOddChoice : kOdd;
}

const std::string kNoRealResult = "a function has no real result for some elements";

// Stores the result of a reduction; false if the reduction itself has to report something.
bool give_reduced(FusedRegion& region, fusion::Fused::Outcome& outcome, Value& target) {
  // The reduction reports the consequences of nan.
  if (!std::isfinite(outcome.number))
    return refuse(region, "the result is not finite, so the elements are checked again");
  const bool divides = region.fused.expression().divides;
  if (divides && outcome.size == 0) return false;
  if (divides)
    target.set_number(outcome.number / static_cast<double>(outcome.size));
  else if (outcome.type == ElementType::float64)
    target.set_number(outcome.number);
  else
    target = Value::array(outcome.reduced());
  return true;
}

void name_axes_of(Machine& machine, Array& out, const FusedInputs& inputs) {
  std::vector<const Array*> operands;
  for (const auto& input : inputs.all())
    if (is_named(input.array)) operands.push_back(input.array);
  if (!operands.empty()) name_axes(machine, out, operands, nullptr);
}

// Axis names that remain after reducing one.
void name_axes_without(int axis, Array& out, const FusedInputs& inputs) {
  MergedAxisNames names(out.axes() + 1);
  for (const auto& input : inputs.all())
    if (is_named(input.array)) names.add(*input.array);
  const int gone[] = {axis};
  if (!names.empty()) set_axis_names(out, names_without(names.take(), gone));
}

// A reduction over an axis.
bool give_reduced_over(Machine& machine, FusedRegion& region, FusedRegion& whole, const FusedInputs& inputs,
                       Value& target) {
  fusion::Fused::Outcome outcome;
  if (!whole.fused.evaluate_over(inputs.all(), region.over, outcome))
    return refuse(region, whole.fused.obstacle());
  auto& reduced = *outcome.array;
  const Index count = reduced.size();
  auto* numbers = reduced.mutable_data<double>();
  if (!std::all_of(numbers, numbers + count, [](double x) { return std::isfinite(x); }))
    return refuse(region, "the result is not finite, so the elements are checked again");
  if (&whole != &region && !outcome.exceeded.empty()) return refuse(region, kNoRealResult);
  if (region.fused.expression().divides)
    for (Index k = 0; k < count; ++k) numbers[k] /= static_cast<double>(outcome.size);
  count_pass(region, count * outcome.size);
  for (const int step : outcome.exceeded) warn_of_step(machine, region, step);
  name_axes_without(region.over, reduced, inputs);
  target = Value::array(std::move(reduced));
  return true;
}

// For items that are constant along a loop.
Array stretched(const Array& array, const Shape& shape) {
  return array.view(array.offset(), shape, stretched_strides(array.shape(), array.strides(), shape)).copied();
}

// Whether the condition is just a name.
bool is_name(const FusedRegion& condition) {
  return condition.loops.empty() && condition.calls.empty() && condition.fused.expression().steps.empty();
}
// Whether a name that may select elements holds numbers or indices.
bool is_no_condition(const FusedRegion& region, const Value* frame) {
  if (!region.condition || !region.loops.empty() || !is_name(*region.condition)) return false;
  const auto& value = frame[region.condition->inputs[0].index];
  return !value.is(Kind::array) || value.array().type() != ElementType::boolean || value.array().axes() == 0;
}

// Inputs of the condition; null if it has to be evaluated separately.
FusedRegion* condition_inputs(FusedRegion& condition, const Value* frame, FusedInputs& inputs) {
  Callees callees;
  auto* const whole = expanded(condition, frame, callees);
  return whole && inputs.take(*whole, frame, callees) ? whole : nullptr;
}

// Evaluates the condition; nothing if that has to be done step by step.
std::optional<Array> booleans_of(FusedRegion& whole, const FusedInputs& inputs) {
  fusion::Fused::Outcome outcome;
  if (!whole.fused.evaluate(inputs.all(), outcome) || !outcome.exceeded.empty() ||
      outcome.array->type() != ElementType::boolean)
    return std::nullopt;
  return std::move(outcome.array);
}

bool take_items(FusedRegion& condition, const FusedRegion& whole, const Value* frame, const Callees& callees,
                FusedInputs& inputs) {
  FusedInputs asked;
  auto* const region = condition_inputs(condition, frame, asked);
  if (!region || size_of(asked.loop_shape()) == 0) return false;
  const auto mask = booleans_of(*region, asked);
  return mask && mask->shape() == asked.loop_shape() && inputs.take_items(whole, frame, callees, *mask);
}

bool take_chosen(FusedRegion& condition, const FusedRegion& whole, const Value* frame, const Callees& callees,
                 FusedInputs& inputs) {
  if (is_name(condition))
    return inputs.take_chosen(whole, frame, callees, frame[condition.inputs[0].index].array());
  FusedInputs asked;
  auto* const region = condition_inputs(condition, frame, asked);
  if (!region) return false;
  // Up to this size a byte for each element is negligible.
  constexpr Index many = 1 << 25;
  const auto is_long = [](const fusion::Input& input) { return input.array && input.array->size() > many; };
  if (std::any_of(asked.all().begin(), asked.all().end(), is_long))
    if (auto selection = region->fused.select(asked.all()))
      return inputs.take_chosen(whole, frame, callees, std::move(selection));
  const auto mask = booleans_of(*region, asked);
  return mask && inputs.take_chosen(whole, frame, callees, *mask);
}

bool take(FusedRegion& region, const FusedRegion& whole, const Value* frame, const Callees& callees,
          FusedInputs& inputs) {
  if (!region.condition) return inputs.take(whole, frame, callees);
  return (region.loops.empty() ? take_chosen : take_items)(*region.condition, whole, frame, callees, inputs);
}

// False if items have to be computed one by one.
bool evaluate_items(FusedRegion& region, FusedRegion& whole, const FusedInputs& inputs, Value& target) {
  const auto shape = inputs.loop_shape();
  if (size_of(shape) == 0) return refuse(region, "there are no items");
  fusion::Fused::Outcome outcome;
  if (whole.fused.expression().operations() == 0) {
    const auto* array = inputs.all()[0].array;
    if (!array) return refuse(region, "all items are equal");
    outcome.array = stretched(*array, shape);
  } else if (!whole.fused.evaluate(inputs.all(), outcome)) {
    return refuse(region, whole.fused.obstacle());
  }
  if (!outcome.exceeded.empty()) return refuse(region, kNoRealResult);
  if (!(outcome.array->shape() == shape)) outcome.array = stretched(*outcome.array, shape);
  count_pass(region, outcome.array->size());
  target = Value::array(std::move(*outcome.array));
  return true;
}

// Fast path for small arrays, for which checks would dominate.
bool evaluate_quickly(Machine& machine, FusedRegion& region, const Value* frame, Value& target) {
  bool is_any_named = false;
  fusion::Fused::Short run(region.fused);
  if (!run.is_ready()) return false;
  for (const auto& read : region.inputs) {
    const auto& value = frame[read.index];
    if (value.is_number()) {
      if (!run.add_single(&value.number(), ElementType::float64, read.literal)) return false;
    } else if (!value.is(Kind::array) || value.array().axes() == 0 || holds_times(value.array()) ||
               !run.add(value.array())) {
      return false;
    } else {
      is_any_named = is_any_named || is_named(&value.array());
    }
  }
  const auto* first = run.shape();
  if (!first) return false;
  auto* const object = new ArrayObject(Array::Like{}, *first, run.type());
  Value made(Kind::array, object);
  if (run.run(object->array.raw_data()) != 0) return false;
  count_pass(region, object->array.size());
  if (is_any_named) {
    std::vector<const Array*> operands;
    for (const auto& read : region.inputs)
      if (frame[read.index].is(Kind::array)) operands.push_back(&frame[read.index].array());
    name_axes(machine, object->array, operands, nullptr);
  }
  target = std::move(made);
  return true;
}

}  // namespace

bool evaluate_fused(Machine& machine, FusedRegion& region, const Value* frame, Value& target) {
  if (region.is_simple && evaluate_quickly(machine, region, frame, target)) return true;
  if (is_no_condition(region, frame)) return false;
  // Ranges have closed forms for sums and extremes.
  if (region.fused.expression().operations() == 0 && region.calls.empty() && region.loops.empty() &&
      !frame[region.inputs[0].index].is(Kind::array))
    return false;
  Callees callees;
  auto* const whole = expanded(region, frame, callees);
  if (!whole) return refuse(region, region.expansion->obstacle);
  FusedInputs inputs;
  if (!take(region, *whole, frame, callees, inputs)) return refuse(region, oddity(region));
  if (inputs.has_loops()) return evaluate_items(region, *whole, inputs, target);
  if (region.over >= 0) return give_reduced_over(machine, region, *whole, inputs, target);
  fusion::Fused::Outcome outcome;
  if (!whole->fused.evaluate(inputs.all(), outcome)) return refuse(region, whole->fused.obstacle());
  // Functions report where they were called.
  if (whole != &region && !outcome.exceeded.empty()) return refuse(region, kNoRealResult);
  if (region.fused.expression().reduction) {
    if (!give_reduced(region, outcome, target)) return false;
    count_pass(region, outcome.size);
    for (const int step : outcome.exceeded) warn_of_step(machine, region, step);
    return true;
  }
  count_pass(region, outcome.array->size());
  for (const int step : outcome.exceeded) warn_of_step(machine, region, step);
  name_axes_of(machine, *outcome.array, inputs);
  target = Value(Kind::array, new ArrayObject(std::move(*outcome.array)));
  return true;
}

namespace {

// More elements take so long that interrupts must be polled: they are computed first and then copied.
constexpr Index kMostInPlace = Index{1} << 20, kMostOfSums = Index{1} << 23;

bool is_same_view(const Array& a, const Array& b) {
  return a.offset() == b.offset() && a.shape() == b.shape() && a.strides() == b.strides();
}

// Whether elements may be written while inputs are read: the storage is unshared, and each element is read
// before it is written.
bool may_write(const FusedRegion& region, const FusedInputs& inputs, const Value* frame, const Value& base,
               const Array& target) {
  const auto& whole = base.array();
  if (base.object<ArrayObject>().use_count() != 1 ||
      target.size() > (region.fused.expression().is_of_sums() ? kMostOfSums : kMostInPlace))
    return false;
  unsigned holders = 2;  // array and view
  for (std::size_t k = 0; k < inputs.all().size(); ++k) {
    const auto* array = inputs.all()[k].array;
    if (!array || array == &target || array->buffer() != whole.buffer()) continue;
    if (!is_same_view(*array, target) && !are_apart(whole, *array, target)) return false;
    if (array == &whole) continue;
    if (!inputs.is_own(*array)) {
      const auto& read = region.inputs[k];
      if (!read.last_use || frame[read.index].object<ArrayObject>().use_count() != 1) return false;
    }
    ++holders;
  }
  return whole.buffer()->use_count() == holders;
}

}  // namespace

bool evaluate_fused_set(Machine& machine, FusedRegion& region, Value* frame, Value& base,
                        std::span<const Value> subscripts) {
  if (!base.is(Kind::array) || is_time(base)) return refuse(region, kOdd);
  Callees callees;
  auto* const whole = expanded(region, frame, callees);
  if (!whole) return refuse(region, region.expansion->obstacle);
  std::optional<FusedInputs> inputs(std::in_place);
  if (!take(region, *whole, frame, callees, *inputs)) return refuse(region, oddity(region));
  auto target = chosen_view(base.array(), subscripts);
  if (region.updates) {
    if (!target || !is_numeric(target->type()))
      return refuse(region, "it assigns to elements selected by a mask or a list");
    inputs->add(*target);
  }
  fusion::Fused::Outcome outcome;
  // A computation that may still be refused must not write in place.
  const bool is_sure = (whole == &region && !inputs->has_loops()) || whole->fused.expression().is_of_sums();
  if (is_sure && !region.condition && target && target->axes() > 0 &&
      may_write(*whole, *inputs, frame, base, *target) &&
      whole->fused.evaluate_into(inputs->all(), *target, outcome)) {
    count_pass(region, target->size());
    for (const int step : outcome.exceeded) warn_of_step(machine, region, step);
    return true;
  }
  Value made;
  if (inputs->has_loops()) {
    if (!evaluate_items(region, *whole, *inputs, made)) return false;
  } else {
    if (!whole->fused.evaluate(inputs->all(), outcome)) return refuse(region, whole->fused.obstacle());
    if (whole != &region && !outcome.exceeded.empty()) return refuse(region, kNoRealResult);
    count_pass(region, outcome.array->size());
    for (const int step : outcome.exceeded) warn_of_step(machine, region, step);
    made = Value::array(std::move(*outcome.array));
  }
  // Views of the array would prevent updates in place.
  target.reset();
  inputs.reset();
  for (const auto& read : region.inputs)
    if (read.last_use) frame[read.index].reset();
  set_elements(base, subscripts, made);
  return true;
}

namespace {

std::optional<Array> evaluate_single(fusion::Fused& fused, const FusedInputs& inputs, Domain& domain) {
  fusion::Fused::Outcome outcome;
  if (!fused.evaluate(inputs.all(), outcome)) return std::nullopt;
  domain.exceeded |= !outcome.exceeded.empty();
  return std::move(*outcome.array);
}

}  // namespace

std::optional<Array> operate_fused(Unary op, const Value& a, Domain& domain) {
  FusedInputs inputs;
  if (!inputs.add(a, false)) return std::nullopt;
  return evaluate_single(fusion::single_operation(op), inputs, domain);
}

std::optional<Array> operate_fused(Binary op, const Value& a, bool a_literal, const Value& b, bool b_literal,
                                   Domain& domain) {
  FusedInputs inputs;
  if (!inputs.add(a, a_literal) || !inputs.add(b, b_literal)) return std::nullopt;
  return evaluate_single(fusion::single_operation(op), inputs, domain);
}

}  // namespace quill
