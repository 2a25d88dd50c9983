#include "array/axis_names.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"

namespace quill {

LabelPtr with_axis_names(const LabelPtr& label, AxisNames names) {
  if (std::all_of(names.begin(), names.end(), [](const auto& name) { return name.empty(); })) names.clear();
  if (label ? label->axes == names : names.empty()) return label;
  Label out = label ? *label : Label{};
  out.axes = std::move(names);
  if (out.name.empty() && out.unit.empty() && out.axes.empty()) return nullptr;
  return std::make_shared<const Label>(std::move(out));
}

std::span<const std::string> axis_names(const Array& a) {
  if (!a.label || static_cast<int>(a.label->axes.size()) != a.axes()) return {};
  return a.label->axes;
}

void set_axis_names(Array& a, AxisNames names) { a.label = with_axis_names(a.label, std::move(names)); }

int axis_named(const std::string& name, std::span<const std::string> names) {
  const auto found = std::find(names.begin(), names.end(), name);
  if (found != names.end() && !name.empty()) return static_cast<int>(found - names.begin());
  if (std::all_of(names.begin(), names.end(), [](const auto& n) { return n.empty(); }))
    fail(fmt::format("there is no axis \"{}\": the axes of this array have no names", printable(name)),
         "name it by its number: over: 1");
  std::vector<std::string> known;
  for (const auto& n : names)
    if (!n.empty()) known.push_back("\"" + printable(n) + "\"");
  fail(fmt::format("there is no axis \"{}\"", printable(name)),
       fmt::format("the axes are {}", list_in_prose(known)));
}

AxisNames names_without(std::span<const std::string> names, std::span<const int> axes) {
  AxisNames out;
  for (std::size_t k = 0; k < names.size(); ++k)
    if (std::find(axes.begin(), axes.end(), static_cast<int>(k)) == axes.end()) out.push_back(names[k]);
  return out;
}

AxisNames names_of_selection(std::span<const std::string> names, std::span<const Subscript> subscripts) {
  AxisNames out;
  std::size_t axis = 0;
  for (const auto& s : subscripts) {
    if (s.kind == Subscript::Kind::new_axis) {
      out.emplace_back();
      continue;
    }
    if (s.kind != Subscript::Kind::position && axis < names.size()) out.push_back(names[axis]);
    ++axis;
  }
  return out;
}

void MergedAxisNames::add(const Array& operand) {
  if (operand.label) add(operand.shape(), axis_names(operand));
}

void MergedAxisNames::add(const Shape& shape, std::span<const std::string> names) {
  const auto missing = axes_ - shape.count();
  if (names.empty() || missing < 0) return;
  names_.resize(static_cast<std::size_t>(axes_));
  for (std::size_t k = 0; k < names.size(); ++k) {
    auto& name = names_[k + static_cast<std::size_t>(missing)];
    if (name.empty())
      name = names[k];
    else if (!names[k].empty() && names[k] != name && !mismatch_)
      mismatch_ = {name, names[k]};
  }
}

}  // namespace quill
