// Writing of opened arrays.
#pragma once

#include "files/data.h"
#include "value/registry.h"

namespace quill {

// A value as data for a file; `plain` converts values other than opened arrays. Opened arrays are written in
// parts if the format allows, else loaded first. Sets `has_parts` if there are some.
Data data_to_write(const Call& call, const Value& value, Data (*plain)(const Value&), bool in_parts,
                   bool& has_parts);

}  // namespace quill
