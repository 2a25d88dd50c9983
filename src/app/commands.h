// What the commands have in common.
#pragma once

#include "app/options.h"
#include "session/session.h"

namespace quill {

// Tells what is wrong with the command line; its exit status.
int fail_usage(TextOutput& output, const std::string& message);
// Tells that a file stands against it; the status of that.
int fail_file(TextOutput& output, const std::string& message);
// Bytes for all values unless something else is set: three quarters of the memory of the machine.
std::int64_t usual_memory_ceiling();
SessionOptions options_of(const CommandLine& line);
// A script's text, when it can be read and its output folder written; otherwise nothing, which has been
// reported.
std::optional<std::string> script_text(RealHost& host, TextOutput& output, const CommandLine& line);

}  // namespace quill
