// From tokens to the tree.
#pragma once

#include "language/tree.h"

namespace quill {

// Parses a whole text; several errors are reported, each at its statement. The tree holds what could be
// understood, and must not be run when there are errors.
Tree parse(const SourcePtr& source);

// Whether the text, as it stands, could become whole by another line: an open bracket, brace or text, or
// an operator at the end. Used by the prompt.
bool is_unfinished(const SourcePtr& source);

}  // namespace quill
