// One run of a script as a function: options in, results out. Used by verify and by parameter studies.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "session/session.h"

namespace quill {

struct Job {
  std::string name;  // name of the script
  std::string text;
  SessionOptions options;
};

struct JobResult {
  Record record;
  std::string messages;         // error messages as displayed
  std::vector<Error> warnings;  // the first of each place
  std::optional<Error> error;   // the last error, or that an input that was set does not exist
};

// Runs the script to its end or to its first error, without output. `at_end` is called before the session is
// destroyed, also after an error, with the part of the result known by then.
using AtEnd = std::function<void(const Session&, const JobResult&)>;
JobResult run_job(Host& host, const Job& job, const AtEnd& at_end = {});

}  // namespace quill
