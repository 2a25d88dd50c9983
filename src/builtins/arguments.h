// Arguments of common kinds: sizes, axes, ranges, behaviour outside of tables.
#pragma once

#include "numerics/interpolation.h"
#include "value/registry.h"

namespace quill {

// Sizes given as further arguments: numbers, or one vector. Checked.
Shape sizes_of(const Call& call);
Shape sizes_from(std::string_view name, std::span<const Value> given);
// The same, or the shape of the argument `like` if it is given.
Shape shape_argument(const Call& call, std::size_t like);
// The axis, from 0, given by number or by name.
int axis_of(const Value& value, int axes, std::span<const std::string> names);
// Several axes: one, or a vector of distinct ones.
std::vector<int> axes_of(const Call& call, std::size_t i, int axes, std::span<const std::string> names);
// The axis, from 0, given by argument i of the array `a`, argument 0; the first axis by default.
int axis_argument(const Call& call, std::size_t i, const Array& a);
// The same for one axis or a vector of distinct ones.
std::vector<int> axes_argument(const Call& call, std::size_t i, const Array& a);
// Two numbers (a, b) from a tuple or vector; nothing for other values.
std::optional<std::pair<double, double>> number_pair(const Value& value);
// Bounds (low, high) for this many coordinates from argument i; each is one number, or one for each
// coordinate.
std::pair<std::vector<double>, std::vector<double>> bounds_argument(const Call& call, std::size_t i,
                                                                    std::size_t count);
// Behaviour outside of a table, by argument i; "nan" by default.
Outside outside_argument(const Call& call, std::size_t i);

}  // namespace quill
