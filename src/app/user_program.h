// Programs that whoever sits at the prompt asks for: an editor, a viewer. Scripts can start none.
#pragma once

#include <string>

namespace quill {

// Runs `command`, words between spaces, on a file at this terminal; its exit status, 127 when it cannot be
// started.
int run_for_user(const std::string& command, const std::string& file);

}  // namespace quill
