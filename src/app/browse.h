// The documents as pages in a browser.
#pragma once

#include <string>

#include "app/text_output.h"
#include "base/host.h"

namespace quill {

// Opens the page of a built-in or topic, or the first page if the name is empty, in the desktop's browser.
// Returns the exit status.
int browse_help(TextOutput& output, const std::string& name);

}  // namespace quill
