// Functions shared by commands.
#pragma once

#include "app/options.h"
#include "session/session.h"

namespace quill {

// Reports an error of usage and returns its exit status.
int fail_usage(TextOutput& output, const std::string& message);
// Reports an error with a file and returns its exit status.
int fail_file(TextOutput& output, const std::string& message);
// Default memory limit in bytes: three quarters of the machine's memory.
std::int64_t usual_memory_ceiling();
SessionOptions options_of(const CommandLine& line);
// Text of a script, if it can be read and its output folder is writable; otherwise nothing, after reporting
// the reason.
std::optional<std::string> script_text(RealHost& host, TextOutput& output, const CommandLine& line);

}  // namespace quill
