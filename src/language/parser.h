// From tokens to the tree.
#pragma once

#include "language/tree.h"

namespace quill {

// Parses a whole text. Recovers after errors, so several may be reported. A tree with errors is incomplete
// and must not be run.
Tree parse(const SourcePtr& source);

// Whether further lines could complete the text: an open bracket, brace or text literal, or a final operator.
// Used by the prompt.
bool is_unfinished(const SourcePtr& source);

}  // namespace quill
