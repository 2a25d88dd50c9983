// What a text does to the values that are known before it runs.
#pragma once

#include <functional>
#include <map>

#include "language/tree.h"
#include "session/known.h"

namespace quill {

struct ValueFinding {
  bool is_error = true;  // surely met when the text runs; else only where it comes to this place
  Error error;           // with its place
};

// Uses of names that have no value yet, shapes that do not match, positions out of range, conditions that are
// no truth values, results that are not there, formats and words that have no meaning. The tree is resolved
// and free of errors; `before` are the values of names that it finds. Whatever is not known for sure is not
// told.
std::vector<ValueFinding> check_values(const Tree& tree, const std::map<std::string, Known>& before = {});

}  // namespace quill
