// The interactive prompt.
#pragma once

#include "session/session.h"

namespace quill {

// Reads entries until the end of input or :quit; returns the exit status.
int run_prompt(Host& host, Session& session);

}  // namespace quill
