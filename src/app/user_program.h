// Programs started for the user: an editor, a viewer. Scripts cannot start programs.
#pragma once

#include <string>

namespace quill {

// Runs `command`, words between spaces, on a file at this terminal, with or without its messages. Returns its
// exit status, 127 if it cannot be started.
int run_for_user(const std::string& command, const std::string& file, bool shows_messages = true);

}  // namespace quill
