// Names of axes, as files give them to their dimensions. They belong to the label of an array.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "array/array.h"
#include "array/index.h"

namespace quill {

using AxisNames = std::vector<std::string>;  // "" for an axis without a name

// Null when neither the label nor an axis says anything.
LabelPtr with_axis_names(const LabelPtr& label, AxisNames names);
// One for each axis; none when the array has no names.
std::span<const std::string> axis_names(const Array& a);
inline bool has_axis_names(const Array& a) { return a.label && !axis_names(a).empty(); }
// The same array with other names, or with none.
void set_axis_names(Array& a, AxisNames names);
// The axis, from 0, that has a name; Error when none has.
int axis_named(const std::string& name, std::span<const std::string> names);
// Those that are left where some axes were reduced.
AxisNames names_without(std::span<const std::string> names, std::span<const int> axes);
// Those of a selection by complete subscripts.
AxisNames names_of_selection(std::span<const std::string> names, std::span<const Subscript> subscripts);

// Names of the result of an elementwise operation, found from its operands one after the other.
class MergedAxisNames {
 public:
  explicit MergedAxisNames(int axes) : axes_(axes) {}
  void add(const Array& operand);
  void add(const Shape& shape, std::span<const std::string> names);
  bool empty() const { return names_.empty(); }
  AxisNames take() { return std::move(names_); }
  // Two names of one axis, when operands disagree.
  const std::optional<std::pair<std::string, std::string>>& mismatch() const { return mismatch_; }

 private:
  int axes_;
  AxisNames names_;
  std::optional<std::pair<std::string, std::string>> mismatch_;
};

}  // namespace quill
