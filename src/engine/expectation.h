// Report of a failed expectation: the compared values.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "language/tree.h"
#include "value/value.h"

namespace quill {

// Values of the parts of a condition.
using Seen = std::map<const Node*, Value>;

// Both sides of a failed comparison: single values in full; for arrays the number of failures, the first one,
// and the largest difference.
std::vector<std::string> what_failed(const Node& condition, const Seen& seen, const Source& source);
// First difference between two values: "at [3]: 2 against 5".
std::string first_difference(const Value& a, const Value& b);

}  // namespace quill
