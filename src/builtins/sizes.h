#pragma once

#include "engine/registry.h"

namespace quill {

// The sizes given to a built-in as its further arguments: numbers, or one vector. Checked.
Shape sizes_of(const Call& call);

}  // namespace quill
