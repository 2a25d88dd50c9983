// The interactive prompt.
#pragma once

#include "app/text_output.h"
#include "session/session.h"

namespace quill {

// Reads entries until the end of input or :quit; returns the exit status.
int run_prompt(Host& host, TextOutput& output, Session& session);

}  // namespace quill
