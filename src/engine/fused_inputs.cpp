#include "engine/fused_inputs.h"

#include <cmath>

#include "array/index.h"
#include "engine/operations.h"

namespace quill {

namespace {

// Shorter masks are applied first, which is cheapest.
constexpr Index kShortMask = 512;

bool find_loop(const Value& value, LoopSource& out) {
  out.value = &value;
  if (value.is(Kind::range)) {
    const auto& range = value.object<RangeObject>();
    out.count = range.count;
    out.first = range.first;
    out.step = range.step;
    // Sums of such numbers are exact.
    constexpr double most = 1e15;
    out.is_whole = is_whole(range.first) && is_whole(range.step) &&
                   (std::fabs(range.first) + std::fabs(range.last)) * static_cast<double>(range.count) < most;
    return true;
  }
  if (!value.is(Kind::array)) return false;
  const auto& array = value.array();
  if (array.axes() != 1 || array.type() != ElementType::float64 || holds_times(array)) return false;
  out.count = array.size();
  return true;
}

Array all_of(const LoopSource& loop) {
  if (loop.chosen) return *loop.chosen;
  return loop.value->is(Kind::range) ? loop.value->object<RangeObject>().to_array() : loop.value->array();
}

}  // namespace

bool FusedInputs::take_all(const FusedRegion& region, const Value* frame, const Callees& callees) {
  // Leaves room for the assigned element.
  return region.inputs.size() < fusion::kMostInputs &&
         std::all_of(region.inputs.begin(), region.inputs.end(),
                     [&](const FusedRead& read) { return take(read, region, frame, callees); });
}

bool FusedInputs::take_items(const FusedRegion& region, const Value* frame, const Callees& callees,
                             const Array& mask) {
  if (!find_loops(region, frame)) return false;
  for (auto& loop : loops_) {
    loop.chosen = std::make_shared<Array>(select_mask(all_of(loop), mask));
    loop.count = loop.chosen->size();
  }
  return take_all(region, frame, callees);
}

bool FusedInputs::take_chosen(const FusedRegion& region, const Value* frame, const Callees& callees,
                              const Array& mask) {
  if (mask.size() > kShortMask)
    return take_chosen(region, frame, callees, std::make_unique<fusion::Selection>(mask));
  mask_ = &mask;
  return take_all(region, frame, callees);
}

bool FusedInputs::take_chosen(const FusedRegion& region, const Value* frame, const Callees& callees,
                              std::unique_ptr<fusion::Selection> selection) {
  selection_ = std::move(selection);
  return selection_->count() > 0 && take_all(region, frame, callees);
}

bool FusedInputs::add_chosen(const Value& value) {
  const bool is_range = value.is(Kind::range);
  if (!(is_range || value.is(Kind::array))) return false;
  const auto& array = is_range ? keep(value.object<RangeObject>().to_array()) : value.array();
  if (!is_numeric(array.type()) || holds_times(array) || !array.is_row_major() ||
      !(array.shape() == (selection_ ? selection_->shape() : mask_->shape())))
    return false;
  inputs_[count_++] =
      selection_ ? fusion::Input(array, *selection_) : fusion::Input(keep(select_mask(array, *mask_)));
  return true;
}

bool FusedInputs::add(const Value& value, bool literal) {
  auto& input = inputs_[count_++];
  switch (value.kind()) {
    case Kind::number: input = fusion::Input(value.number(), literal); return true;
    case Kind::boolean: input = fusion::Input(value.boolean()); return true;
    case Kind::array: {
      const auto& array = value.array();
      if (!is_numeric(array.type()) || holds_times(array)) return false;
      input = fusion::Input(array);
      return true;
    }
    case Kind::range: input = of_range(value.object<RangeObject>()); return true;
    default: return false;
  }
}

Shape FusedInputs::loop_shape() const {
  Shape out;
  for (const auto& loop : loops_)
    if (loop.axis == out.count()) out.push_back(loop.count);
  return out;
}

fusion::Input FusedInputs::of_range(const RangeObject& range) {
  const auto m = static_cast<double>(range.count - 1);
  const bool weighted = range.from_both_ends && range.count > 1 && range.step != 1;
  const bool is_plain =
      !weighted || std::isfinite((std::fabs(range.first) + std::fabs(range.last)) * (m + 1));
  if (range.count <= kLongRange || !is_plain) return {keep(range.to_array())};
  return fusion::Input(*ramps_.emplace_back(std::make_unique<fusion::Ramp>(
      fusion::Ramp{range.first, range.last, range.step, range.count, weighted})));
}

bool FusedInputs::find_loops(const FusedRegion& region, const Value* frame) {
  for (const auto& [place, axis] : region.loops) {
    auto& loop = loops_.emplace_back();
    loop.axis = axis;
    if (!find_loop(frame[place], loop)) return false;
    if (loops_.size() > 1 && loops_.front().axis == axis && loops_.front().count != loop.count) return false;
  }
  return true;
}

bool FusedInputs::take(const FusedRead& read, const FusedRegion& region, const Value* frame,
                       const Callees& callees) {
  switch (read.from) {
    case FusedRead::From::local:
      if (read.chosen) return add_chosen(frame[read.index]);
      // Items consist of single numbers.
      if (has_loops() && !frame[read.index].is_number() && !frame[read.index].is(Kind::boolean)) return false;
      return add(frame[read.index], read.literal);
    case FusedRead::From::number: inputs_[count_++] = fusion::Input(read.number, read.literal); return true;
    case FusedRead::From::loop: return add_loop(static_cast<std::size_t>(read.index));
    case FusedRead::From::element:
      return add_element(region.elements[static_cast<std::size_t>(read.index)], frame, callees);
    default: {
      const auto* value = find_read(read, frame, callees);
      if (!value || (has_loops() && !value->is_number() && !value->is(Kind::boolean))) return false;
      return add(*value, false);
    }
  }
}

bool FusedInputs::add_loop(std::size_t k) {
  const auto& loop = loops_[k];
  const bool is_grid = loop_shape().count() == 2;
  if (loop.value->is(Kind::range) && !loop.chosen && !is_grid) {
    inputs_[count_++] = of_range(loop.value->object<RangeObject>());
    return true;
  }
  const auto all = all_of(loop);
  inputs_[count_++] = fusion::Input(
      keep(is_grid && loop.axis == 0 ? all.view(all.offset(), {loop.count, 1}, Strides{all.strides()[0], 0})
                                     : all));
  return true;
}

bool FusedInputs::add_element(const FusedElement& element, const Value* frame, const Callees& callees) {
  const auto* value = find_read(element.array, frame, callees);
  if (!value || !value->is(Kind::array)) return false;
  const auto& array = value->array();
  if (array.type() != ElementType::float64 || holds_times(array) ||
      array.axes() != static_cast<int>(element.subscripts.size()) || element.subscripts.empty())
    return false;
  Index offset = array.offset();
  Strides strides;
  for (int k = 0; k < loop_shape().count(); ++k) strides.push_back(0);
  for (int axis = 0; axis < array.axes(); ++axis)
    if (!add_axis(element.subscripts[static_cast<std::size_t>(axis)], array, axis, frame, callees, offset,
                  strides))
      return false;
  inputs_[count_++] = fusion::Input(keep(array.view(offset, loop_shape(), strides)));
  return true;
}

bool FusedInputs::add_axis(const FusedElement::Subscript& subscript, const Array& array, int axis,
                           const Value* frame, const Callees& callees, Index& offset,
                           Strides& strides) const {
  double at = subscript.number, least = 0, most = 0;
  for (const auto& [read, factor] : subscript.terms) {
    const auto* value = find_read(read, frame, callees);
    if (!value || !value->is_number() || !is_whole(value->number())) return false;
    at += factor * value->number();
  }
  for (std::size_t k = 0; k < loops_.size(); ++k) {
    const double scale = subscript.scales[k];
    if (scale == 0) continue;
    const auto& loop = loops_[k];
    if (!loop.is_whole || !is_whole(scale)) return false;
    at += scale * loop.first;
    const double step = scale * loop.step, way = step * static_cast<double>(loop.count - 1);
    (way < 0 ? least : most) += way;
    if (!(std::fabs(step) < 1e9)) return false;
    strides[loop.axis] += static_cast<Index>(step) * array.strides()[axis];
  }
  if (!is_whole(at) || !(at + least >= 1) || !(at + most <= static_cast<double>(array.extent(axis))))
    return false;
  offset += (static_cast<Index>(at) - 1) * array.strides()[axis];
  return true;
}

}  // namespace quill
