#include "builtins/opened/opened_array.h"

#include <fmt/format.h>

#include "array/axis_names.h"
#include "array/rearrange.h"
#include "base/text.h"
#include "engine/operations.h"
#include "value/runtime.h"

namespace quill {

namespace opened_array {

namespace {

// Selections up to this number of elements are read into memory at once.
constexpr Index kRead = Index{1} << 20;

// Divides a list of indices into runs with step one: first and count of each.
std::vector<std::pair<Index, Index>> runs_of(const std::vector<Index>& positions) {
  std::vector<std::pair<Index, Index>> out;
  for (const Index k : positions)
    if (!out.empty() && k == out.back().first + out.back().second)
      ++out.back().second;
    else
      out.emplace_back(k, 1);
  return out;
}

// The elements that subscripts choose: lists of positions run by run, the results laid together.
Array read_selection(const BlockSourcePtr& source, std::vector<Subscript> subscripts,
                     BlockFindings& findings) {
  for (std::size_t k = 0; k < subscripts.size(); ++k) {
    if (subscripts[k].kind != Subscript::Kind::positions) continue;
    std::vector<Array> parts;
    for (const auto& [first, count] : runs_of(subscripts[k].positions)) {
      auto one = subscripts;
      one[k] = {Subscript::Kind::run, first, 1, count, {}};
      parts.push_back(read_selection(source, std::move(one), findings));
    }
    if (parts.empty()) {
      auto none = subscripts;
      none[k] = {Subscript::Kind::run, 0, 1, 0, {}};
      return read_selection(source, std::move(none), findings);
    }
    int axis = 0;
    for (std::size_t i = 0; i < k; ++i) axis += subscripts[i].kind != Subscript::Kind::position;
    return join(parts, axis);
  }
  BlockPart part;
  std::vector<int> single;
  for (const auto& s : subscripts) {
    const bool is_position = s.kind == Subscript::Kind::position;
    if (is_position) single.push_back(static_cast<int>(part.start.size()));
    // Backwards runs are read forwards and turned round.
    const bool is_backwards = !is_position && s.step < 0 && s.count > 0;
    part.start.push_back(is_backwards ? s.first + (s.count - 1) * s.step : s.first);
    part.count.push_back(is_position ? 1 : s.count);
    part.step.push_back(is_position ? 1 : std::max<Index>(1, std::abs(s.step)));
  }
  auto out = source->read(part, findings);
  for (std::size_t k = 0; k < subscripts.size(); ++k)
    if (subscripts[k].kind == Subscript::Kind::run && subscripts[k].step < 0 && subscripts[k].count > 0)
      out = reversed(out, static_cast<int>(k));
  return without_axes(out, single);
}

}  // namespace

}  // namespace opened_array

using namespace opened_array;

void report(Runtime& runtime, const BlockFindings& findings, const Node* node) {
  for (const auto& name : findings.out_of_domain) warn_domain(runtime, name, node);
}

BlockOperand block_operand(const Value& value, bool is_literal) {
  BlockOperand out;
  if (const auto* array = deferred_array(value)) {
    out.source = static_cast<const OpenedArray&>(*array).source();
    return out;
  }
  if (!value.is_array_like())
    fail(fmt::format("{} cannot be combined with an opened array", kind_in_words(value)));
  out.array = to_array(value);
  out.literal = is_literal;
  return out;
}

std::string OpenedArray::describe() const {
  std::string axes;
  for (int k = 0; k < source_->axes(); ++k) {
    if (k > 0) axes += " × ";
    if (!source_->dimensions.empty())
      axes += printable(source_->dimensions[static_cast<std::size_t>(k)]) + " ";
    axes += std::to_string(source_->shape()[k]);
  }
  std::string unit;
  if (source_->label && !source_->label->unit.empty())
    unit = fmt::format(" ({})", printable(source_->label->unit));
  return fmt::format("{} {}{}: {}, not in memory", name_of(source_->type()), axes, unit, source_->origin());
}

Value OpenedArray::mapped(Binary op, const Value& other, bool other_is_left, bool is_literal) const {
  BlockOperand own{source_, {}, false};
  auto with = block_operand(other, is_literal);
  return value(other_is_left ? mapped_source(op, std::move(with), std::move(own))
                             : mapped_source(op, std::move(own), std::move(with)));
}

Value OpenedArray::selected(Runtime& runtime, std::span<const Subscript> subscripts) const {
  BlockFindings findings;
  Index size = 1;
  bool is_part = true, has_new_axes = false;
  for (const auto& s : subscripts) {
    if (s.kind == Subscript::Kind::positions)
      size *= static_cast<Index>(s.positions.size());
    else if (s.kind == Subscript::Kind::run)
      size *= s.count;
    is_part =
        is_part && (s.kind == Subscript::Kind::position || (s.kind == Subscript::Kind::run && s.step > 0));
    has_new_axes = has_new_axes || s.kind == Subscript::Kind::new_axis;
  }
  if (has_new_axes) {
    const auto all = whole(runtime);
    return Value::array(select(all.array(), subscripts));
  }
  if (size > kRead && is_part) {
    BlockPart part;
    std::vector<int> single;
    for (const auto& s : subscripts) {
      if (s.kind == Subscript::Kind::position) single.push_back(static_cast<int>(part.start.size()));
      part.start.push_back(s.first);
      part.count.push_back(s.kind == Subscript::Kind::position ? 1 : s.count);
      part.step.push_back(s.kind == Subscript::Kind::position ? 1 : s.step);
    }
    return value(selected_source(source_, part, single));
  }
  auto out = read_selection(source_, {subscripts.begin(), subscripts.end()}, findings);
  out.label = with_axis_names(source_->label, names_of_selection(source_->dimensions, subscripts));
  report(runtime, findings, nullptr);
  return Value::array(std::move(out));
}

Value OpenedArray::chosen(Runtime& runtime, const Value& mask) const {
  BlockFindings findings;
  const auto operand = block_operand(mask, false);
  if (!(operand.shape() == shape()))
    fail(fmt::format("a condition of shape {} cannot select elements of an array of shape {}",
                     text_of(operand.shape()), text_of(shape())));
  auto out = chosen_by(*source_, operand, findings);
  report(runtime, findings, nullptr);
  return Value::array(std::move(out));
}

Value OpenedArray::whole(Runtime& runtime) const {
  BlockFindings findings;
  auto out = read_all(*source_, findings);
  report(runtime, findings, nullptr);
  return Value::array(std::move(out));
}

}  // namespace quill
