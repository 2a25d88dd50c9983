// What a failed expectation shows of the values that it compared.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "language/tree.h"
#include "value/value.h"

namespace quill {

// The values that the parts of a condition had.
using Seen = std::map<const Node*, Value>;

// Both sides of what did not hold: of single values as they are, of arrays how many places fail, the first of
// them, and by how much they differ.
std::vector<std::string> what_failed(const Node& condition, const Seen& seen, const Source& source);
// Where two values that are not the same differ first: "at [3]: 2 against 5".
std::string first_difference(const Value& a, const Value& b);

}  // namespace quill
