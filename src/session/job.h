// One run of a script as a value: what goes in, and what came of it. Verify and parameter studies run scripts
// by it.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "session/session.h"

namespace quill {

struct Job {
  std::string name;  // of the script
  std::string text;
  SessionOptions options;
};

struct JobResult {
  Record record;
  std::string messages;        // of errors, as they are shown
  std::optional<Error> error;  // the last one; also when an input that was set does not exist
};

// Runs it to its end or to its first error; reports nothing to anybody. `at_end` sees the session before it
// is destroyed, also after an error, and what of the result is known by then.
using AtEnd = std::function<void(const Session&, const JobResult&)>;
JobResult run_job(Host& host, const Job& job, const AtEnd& at_end = {});

}  // namespace quill
