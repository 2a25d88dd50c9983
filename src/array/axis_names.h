// Names of axes, from the dimensions of files. Stored in the label of an array.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "array/array.h"
#include "array/index.h"

namespace quill {

using AxisNames = std::vector<std::string>;  // "" for an axis without a name

// The label with other axis names; null if nothing is left.
LabelPtr with_axis_names(const LabelPtr& label, AxisNames names);
// One name for each axis; empty if the array has none.
std::span<const std::string> axis_names(const Array& a);
inline bool has_axis_names(const Array& a) { return a.label && !axis_names(a).empty(); }
// Sets or removes the axis names of an array.
void set_axis_names(Array& a, AxisNames names);
// The axis, from 0, with this name. Throws Error if there is none.
int axis_named(const std::string& name, std::span<const std::string> names);
// The names left after reducing some axes.
AxisNames names_without(std::span<const std::string> names, std::span<const int> axes);
// The names after selecting by complete subscripts.
AxisNames names_of_selection(std::span<const std::string> names, std::span<const Subscript> subscripts);

// Axis names of the result of an elementwise operation, merged from its operands one by one.
class MergedAxisNames {
 public:
  explicit MergedAxisNames(int axes) : axes_(axes) {}
  void add(const Array& operand);
  void add(const Shape& shape, std::span<const std::string> names);
  bool empty() const { return names_.empty(); }
  AxisNames take() { return std::move(names_); }
  // Two different names of one axis, if operands disagree.
  const std::optional<std::pair<std::string, std::string>>& mismatch() const { return mismatch_; }

 private:
  int axes_;
  AxisNames names_;
  std::optional<std::pair<std::string, std::string>> mismatch_;
};

}  // namespace quill
