// Arguments with a meaning of their own: sizes, axes, ranges, policies.
#pragma once

#include "numerics/interpolation.h"
#include "value/registry.h"

namespace quill {

// The sizes given to a built-in as its further arguments: numbers, or one vector. Checked.
Shape sizes_of(const Call& call);
Shape sizes_from(std::string_view name, std::span<const Value> given);
// The same, or the shape of the argument `like` when that is given.
Shape shape_argument(const Call& call, std::size_t like);
// The axis of an array with such names of axes that a value names, by its number or its name; from 0.
int axis_of(const Value& value, int axes, std::span<const std::string> names);
// All that a value names: one, or a vector of different ones.
std::vector<int> axes_of(const Call& call, std::size_t i, int axes, std::span<const std::string> names);
// The axis that argument i names, from 0; the first one when it is not given. `a` is argument 0.
int axis_argument(const Call& call, std::size_t i, const Array& a);
// The same for one axis or a vector of different ones.
std::vector<int> axes_argument(const Call& call, std::size_t i, const Array& a);
// Two numbers (a, b) of a tuple or vector, when the value is that.
std::optional<std::pair<double, double>> number_pair(const Value& value);
// The pair (low, high) of bounds for so many coordinates that argument i gives, each one number or one for
// each.
std::pair<std::vector<double>, std::vector<double>> bounds_argument(const Call& call, std::size_t i,
                                                                    std::size_t count);
// What happens outside of a table, as the argument i says; "nan" when it is not given.
Outside outside_argument(const Call& call, std::size_t i);

}  // namespace quill
