// Arguments that name sizes and axes.
#pragma once

#include "engine/registry.h"

namespace quill {

// The sizes given to a built-in as its further arguments: numbers, or one vector. Checked.
Shape sizes_of(const Call& call);
// The same, or the shape of the argument `like` when that is given.
Shape shape_argument(const Call& call, std::size_t like);
// The axis that argument i names, from 0; the first one when it is not given. `a` is argument 0.
int axis_argument(const Call& call, std::size_t i, const Array& a);

}  // namespace quill
