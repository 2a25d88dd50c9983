// The interactive prompt.
#pragma once

#include "app/text_output.h"
#include "session/journal.h"
#include "session/session.h"

namespace quill {

struct PromptOptions {
  bool journal = true;  // writes a journal, if at a terminal or resuming a session
  std::optional<Journal> resumed;
  std::string path;  // path of that journal
};

// Reads entries until the end of input or :quit; returns the exit status.
int run_prompt(Host& host, TextOutput& output, Session& session, const PromptOptions& options);

}  // namespace quill
