// Opened arrays on their way into files.
#pragma once

#include "files/data.h"
#include "value/registry.h"

namespace quill {

// A value as data for a file; `plain` makes that of all but opened arrays. These stay in parts where the
// format can write them, and else are taken into memory. Sets `has_parts` when there are some.
Data data_to_write(const Call& call, const Value& value, Data (*plain)(const Value&), bool in_parts,
                   bool& has_parts);

}  // namespace quill
