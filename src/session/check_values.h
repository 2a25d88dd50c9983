// Abstract interpretation of a script, for `check` and for entries before they run.
#pragma once

#include <functional>
#include <map>

#include "language/tree.h"
#include "session/abstract_value.h"

namespace quill {

struct ValueFinding {
  bool is_error = true;  // certain to fail at run time; otherwise only if the location is reached
  Error error;           // with its location
};

// Finds uses before assignment, incompatible shapes, indices out of range, conditions that are not booleans,
// missing results, invalid formats and option values. `tree` must be resolved without errors; `before` maps
// names to the values they have at the start. Uncertain mistakes are not reported.
std::vector<ValueFinding> check_values(const Tree& tree,
                                       const std::map<std::string, AbstractValue>& before = {});

}  // namespace quill
