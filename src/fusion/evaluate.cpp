#include "fusion/evaluate.h"

#include <algorithm>

#include "base/memory.h"
#include "fusion/run.h"

namespace quill::fusion {

namespace {

std::vector<int> numbers_of(std::uint64_t bits) {
  std::vector<int> out;
  for (int k = 0; bits != 0; ++k, bits >>= 1)
    if (bits & 1) out.push_back(k);
  return out;
}

bool has_overflow(std::uint64_t exceeded) { return exceeded >> kOverflow & 1; }

}  // namespace

Array Fused::Outcome::reduced() const {
  if (is_integer(type)) return Array::filled<std::int64_t>({}, whole).converted(type);
  if (type == ElementType::boolean) return Array::filled<std::int64_t>({}, static_cast<std::int64_t>(number));
  return Array::filled<double>({}, number).converted(type);
}

bool Fused::refuse(std::string why) {
  obstacle_ = std::move(why);
  return false;
}

bool Fused::prepare(std::span<const Input> inputs, const Layout& layout) {
  const bool scattered = layout.target().how == Stream::How::gathered;
  bool as_before = has_plan_ && scattered == scattered_ && set_ == instruction_set();
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    const auto how = layout.streams[k].how;
    const InputKind kind{inputs[k].type, how == Stream::How::single, inputs[k].literal,
                         how == Stream::How::single || how == Stream::How::constant};
    as_before = as_before && kinds_[k] == kind;
    kinds_[k] = kind;
  }
  if (as_before) return plan_obstacle_.empty() || refuse(plan_obstacle_);
  return replan(scattered);
}

bool Fused::replan(bool scattered) {
  auto [plan, obstacle] = plan_of(expression_, kinds_, scattered);
  if (plan && plan->operands() > kMostOperands) obstacle = "it is too long";
  if (plan) {
    plan_ = std::move(*plan);
    operands_.resize(static_cast<std::size_t>(plan_.operands()));
    scratch_ = nullptr;
  }
  plan_obstacle_ = std::move(obstacle);
  scattered_ = scattered;
  set_ = instruction_set();
  has_plan_ = true;
  return plan_obstacle_.empty() || refuse(plan_obstacle_);
}

// The types alone were the obstacle, and they are the same again.
bool Fused::is_refused_again(std::span<const Input> inputs) {
  if (!has_plan_ || plan_obstacle_.empty()) return false;
  for (std::size_t k = 0; k < inputs.size(); ++k)
    if (kinds_[k].type != inputs[k].type || kinds_[k].single != inputs[k].is_single() ||
        kinds_[k].literal != inputs[k].literal)
      return false;
  return !refuse(plan_obstacle_);
}

// In steps, so that the blocks stay in the first-level cache.
void Fused::step_through(std::size_t inputs, Index count, std::uint64_t& exceeded) {
  for (Index done = 0; done < count; done += kStep) {
    for (const auto& call : plan_.calls)
      apply(call, operands_.data(), std::min(kStep, count - done), exceeded);
    const auto advance = [&](const void*& place, ElementType type) {
      place = static_cast<const std::byte*>(place) + kStep * static_cast<Index>(size_of(type));
    };
    for (std::size_t k = 0; k < inputs; ++k)
      if (!kinds_[k].single) advance(operands_[k], kinds_[k].type);
    advance(operands_.back(), plan_.type);
  }
}

bool Fused::is_ready_for_short() {
  if (!has_plan_ || scattered_ || !plan_obstacle_.empty() || set_ != instruction_set() ||
      plan_.selected >= 0 || (expression_.reduction && plan_.type == ElementType::int64))
    return false;
  if (scratch_ != scratch()) {  // another thread's
    scratch_ = scratch();
    find_scratch(plan_, operands_.data());
  }
  return true;
}

Index Fused::most_at_once() const { return plan_.has_complex ? kStep : kBlock; }

std::uint64_t Fused::Short::run(const void* result) {
  const Index size = first_->size();
  ++passes_begun;
  std::uint64_t exceeded = 0;
  auto* const operands = fused_.operands_.data();
  fused_.operands_.back() = result;
  for (const auto& call : fused_.plan_.once) apply(call, operands, 1, exceeded);
  if (size <= kStep)
    for (const auto& call : fused_.plan_.calls) apply(call, operands, size, exceeded);
  else
    fused_.step_through(count_, size, exceeded);
  return exceeded;
}

bool Fused::evaluate_short(std::span<const Input> inputs, Outcome& outcome) {
  Short run(*this);
  if (!run.is_ready()) return false;
  for (const auto& input : inputs) {
    if (input.ramp || input.chosen) return false;
    if (!(input.array ? run.add(*input.array) : run.add_single(input.single, input.type, input.literal)))
      return false;
  }
  const auto* first = run.shape();
  if (!first) return false;
  std::uint64_t exceeded = 0;
  if (!expression_.reduction) {
    outcome.array.emplace(Array::Like{}, *first, plan_.type);
    exceeded = run.run(outcome.array->raw_data());
  } else {
    ++passes_begun;
    for (const auto& call : plan_.once) apply(call, operands_.data(), 1, exceeded);
    for (const auto& call : plan_.calls) apply(call, operands_.data(), first->size(), exceeded);
    outcome.number = reduced_block(plan_, *expression_.reduction, operands_.data(), first->size());
    outcome.size = first->size();
    outcome.type = plan_.reduced_type;
  }
  if (has_overflow(exceeded)) return false;
  if (exceeded) outcome.exceeded = numbers_of(exceeded);
  return true;
}

bool Fused::evaluate_plain(std::span<const Plain> inputs, Index size, void* result, PlainOutcome& outcome) {
  static_assert(kMostPlain == kBlock);
  if (inputs.size() > kMostInputs || expression_.steps.size() > kOverflow || size < 1 || size > kMostPlain)
    return false;
  bool as_before = has_plan_ && !scattered_ && set_ == instruction_set();
  kinds_.resize(inputs.size());
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    const InputKind kind{ElementType::float64, inputs[k].is_single, inputs[k].is_literal,
                         inputs[k].is_single};
    as_before = as_before && kinds_[k] == kind;
    kinds_[k] = kind;
  }
  if (!as_before) replan(false);
  const auto type = plan_.type;
  if (!is_ready_for_short() || plan_.has_complex ||
      (type != ElementType::float64 && type != ElementType::boolean))
    return false;
  for (std::size_t k = 0; k < inputs.size(); ++k) operands_[k] = inputs[k].data;
  std::uint64_t exceeded = 0;
  ++passes_begun;
  for (const auto& call : plan_.once) apply(call, operands_.data(), 1, exceeded);
  if (expression_.reduction) {
    for (const auto& call : plan_.calls) apply(call, operands_.data(), size, exceeded);
    outcome.number = reduced_block(plan_, *expression_.reduction, operands_.data(), size);
    outcome.type = plan_.reduced_type;
  } else {
    operands_.back() = result;
    step_through(inputs.size(), size, exceeded);
    outcome.type = type;
  }
  return exceeded == 0;
}

// Whether a selection's condition has the shape of the selected array.
bool Fused::selects_all(std::span<const Input> inputs, const Shape& shape) const {
  bool found = false;
  for (std::size_t k = 0; k < inputs.size(); ++k) {
    const bool has_shape = inputs[k].is_whole() && inputs[k].array->shape() == shape;
    if (static_cast<int>(k) == expression_.selected) {
      if (!has_shape) return false;
    } else {
      found |= has_shape;
    }
  }
  return found;
}

bool Fused::evaluate(std::span<const Input> inputs, const Array* target, Outcome& outcome) {
  if (!target && evaluate_short(inputs, outcome)) return true;
  if (is_refused_again(inputs)) return false;
  constexpr int most_steps = kOverflow;
  if (inputs.size() > kMostInputs || expression_.steps.size() > most_steps) return refuse("it is too long");
  kinds_.resize(inputs.size());
  Layout layout;
  if (!lay_out(inputs, target, expression_.reduction.has_value(), layout)) {
    has_plan_ = false;
    return refuse(layout.has_selections ? "it contains other values than numbers beside the selection"
                                        : "the shapes do not match, or it contains no array");
  }
  if (expression_.selected >= 0 && !selects_all(inputs, layout.shape))
    return refuse("the mask has another shape than the array");
  if (!layout.is_flat && expression_.selected < 0)
    if (const int part = smaller_part(inputs, layout.shape); part >= 0)
      return evaluate_part(part, inputs, target, outcome);
  if (target && target->type() == ElementType::float64 && expression_.is_of_sums()) alternate(layout);
  if (!prepare(inputs, layout)) return false;
  const auto reduction = expression_.reduction;
  if (reduction && reduction != Reduction::sum && layout.size == 0) return refuse("there are no elements");
  ++passes_begun;
  Run run(plan_, layout, reduction);
  if (reduction) {
    outcome.type = plan_.reduced_type;
    if (plan_.type == ElementType::int64) {
      const auto whole = run.reduced_whole();
      if (!whole) return refuse("the sum of integers does not fit its type");
      outcome.whole = *whole;
    } else {
      outcome.number = run.reduced();
    }
    outcome.size = run.reduced_size();
  } else if (target) {
    if (target->type() != plan_.type) return refuse("the elements have another type");
    if (plan_.checks_whole) return refuse("integers are checked before they are stored");
    run.fill(nullptr);
  } else {
    outcome.array.emplace(plan_.type, layout.shape);
    run.fill(const_cast<void*>(outcome.array->raw_data()));  // NOLINT: nobody else holds it yet
  }
  if (has_overflow(run.exceeded())) return refuse("an integer does not fit its type");
  outcome.exceeded = numbers_of(run.exceeded());
  obstacle_.clear();
  return true;
}

// The last step before the result whose shape is not that of the result, and more than a single number; -1
// when there is none. Its operations would be done again for every element that it is stretched to.
int Fused::smaller_part(std::span<const Input> inputs, const Shape& shape) const {
  std::vector<std::optional<Shape>> shapes(expression_.steps.size());  // none: single
  int found = -1;
  for (std::size_t k = 0; k + 1 < expression_.steps.size(); ++k) {
    const auto& step = expression_.steps[k];
    if (step.kind == StepKind::input) {
      if (const auto& input = inputs[static_cast<std::size_t>(step.from[0])]; !input.is_single())
        shapes[k] = input.shape();
      continue;
    }
    for (const int from : step.from) {
      if (from < 0 || !shapes[static_cast<std::size_t>(from)]) continue;
      const auto& one = *shapes[static_cast<std::size_t>(from)];
      shapes[k] = shapes[k] ? broadcast_shapes(*shapes[k], one) : one;
    }
    if (shapes[k] && !(*shapes[k] == shape)) found = static_cast<int>(k);
  }
  return found;
}

struct Fused::Split {
  int last;                           // the step of the part's result
  std::vector<int> of_part, of_rest;  // the steps of both here
  Fused part, rest;                   // in the rest, an input represents the part

  Split(const Expression& whole, int step)
      : last(step), part(whole.up_to(step, of_part)), rest(whole.with_input(step, of_rest)) {}
};

Fused::Fused(Expression expression) : expression_(std::move(expression)) {}
Fused::~Fused() = default;

bool Fused::evaluate_part(int last, std::span<const Input> inputs, const Array* target, Outcome& outcome) {
  if (!split_ || split_->last != last) split_ = std::make_unique<Split>(expression_, last);
  auto& [step, of_part, of_rest, part, rest] = *split_;
  const auto input_of = [&](int k) { return expression_.steps[static_cast<std::size_t>(k)].from[0]; };
  const auto is_input = [&](int k) {
    return expression_.steps[static_cast<std::size_t>(k)].kind == StepKind::input;
  };
  std::vector<Input> given;
  for (const int k : of_part)
    if (is_input(k)) given.push_back(inputs[static_cast<std::size_t>(input_of(k))]);
  Outcome made;
  if (!part.evaluate(given, nullptr, made)) return refuse(part.obstacle_);
  given.clear();
  for (const int k : of_rest)
    if (k == last)
      given.emplace_back(*made.array);
    else if (is_input(k))
      given.push_back(inputs[static_cast<std::size_t>(input_of(k))]);
  if (!rest.evaluate(given, target, outcome)) return refuse(rest.obstacle_);
  for (int& k : outcome.exceeded) k = of_rest[static_cast<std::size_t>(k)];
  for (const int k : made.exceeded) outcome.exceeded.push_back(of_part[static_cast<std::size_t>(k)]);
  std::sort(outcome.exceeded.begin(), outcome.exceeded.end());
  obstacle_.clear();
  return true;
}

namespace {

// The part of an input that belongs to some rows (axis 0) or columns (axis 1) of a matrix that it is
// stretched to.
Array part_of(const Array& array, int axis, Index from, Index count) {
  const int own = axis - (2 - array.axes());
  if (own < 0 || array.extent(own) == 1) return array;
  Shape shape = array.shape();
  shape[own] = count;
  return array.view(array.offset() + from * array.strides()[own], shape, array.strides());
}

}  // namespace

bool Fused::evaluate_over(std::span<const Input> inputs, int axis, Outcome& outcome) {
  Layout layout;
  if (inputs.size() > kMostInputs || !lay_out(inputs, nullptr, true, layout) || layout.shape.count() != 2 ||
      axis > 1 || layout.size == 0 || expression_.selected >= 0)
    return refuse("it is a reduction along an axis of an array that is not a matrix");
  if (!unreduced_) {
    unreduced_ = std::make_unique<Fused>(expression_);
    unreduced_->expression_.reduction.reset();
  }
  const int other = 1 - axis;
  const Index length = layout.shape[axis], lines = layout.shape[other];
  constexpr Index least = 128, most_elements = 1 << 17;
  const Index at_once = std::max(least, most_elements / length);
  outcome.array.emplace(ElementType::float64, Shape{lines});
  double* to = outcome.array->mutable_data<double>();
  std::vector<int> exceeded;
  for (Index from = 0; from < lines; from += at_once) {
    const Index count = std::min(at_once, lines - from);
    std::vector<Array> parts;
    parts.reserve(inputs.size());
    std::vector<Input> given(inputs.begin(), inputs.end());
    for (auto& input : given) {
      if (input.ramp || input.chosen) return refuse("a long range or a selection is broadcast");
      if (input.array) input.array = &parts.emplace_back(part_of(*input.array, other, from, count));
    }
    Outcome some;
    if (!unreduced_->evaluate(given, some)) return refuse(unreduced_->obstacle_);
    if (some.array->type() != ElementType::float64) return refuse("the elements are not float64");
    // Inputs of one row or column alone.
    const auto shape = axis == 0 ? Shape{length, count} : Shape{count, length};
    if (!(some.array->shape() == shape)) return refuse("the shapes do not match");
    const auto reduced = reduce(*expression_.reduction, *some.array, {axis, false});
    std::copy_n(reduced.data<double>(), count, to + from);
    exceeded.insert(exceeded.end(), some.exceeded.begin(), some.exceeded.end());
  }
  std::sort(exceeded.begin(), exceeded.end());
  exceeded.erase(std::unique(exceeded.begin(), exceeded.end()), exceeded.end());
  outcome.exceeded = std::move(exceeded);
  outcome.size = length;
  outcome.type = ElementType::float64;
  obstacle_.clear();
  return true;
}

std::unique_ptr<Selection> Fused::select(std::span<const Input> inputs) {
  Layout layout;
  const bool is_flat =
      inputs.size() <= kMostInputs && lay_out(inputs, nullptr, false, layout) && layout.is_flat;
  if (!is_flat || layout.has_selections ||
      std::any_of(inputs.begin(), inputs.end(), [](const Input& input) { return input.ramp != nullptr; }))
    return nullptr;
  auto out = std::make_unique<Selection>(layout.shape);
  constexpr Index at_once = 64 * Selection::kStretch;
  const auto passes = passes_begun;
  Array booleans(ElementType::boolean, {std::min(at_once, layout.size)});
  for (Index from = 0; from < layout.size; from += at_once) {
    const Index count = std::min(at_once, layout.size - from);
    std::vector<Array> parts;
    parts.reserve(inputs.size());
    std::vector<Input> given(inputs.begin(), inputs.end());
    for (auto& input : given)
      if (input.array)
        input.array =
            &parts.emplace_back(input.array->view(input.array->offset() + from, {count}, Strides{1}));
    Outcome some;
    if (!evaluate_into(given, booleans.view(0, {count}, Strides{1}), some) || !some.exceeded.empty())
      return nullptr;
    out->append(booleans.data<bool>(), count);
  }
  passes_begun = passes + 1;
  return out;
}

}  // namespace quill::fusion
