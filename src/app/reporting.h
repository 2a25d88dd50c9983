// The report command.
#pragma once

#include "app/options.h"
#include "session/session.h"

namespace quill {

int report_script(RealHost& host, TextOutput& output, const CommandLine& line);
// Runs a text as a script with this name and writes its report; returns the exit status.
int write_report(Host& host, TextOutput& output, const SessionOptions& options, const std::string& name,
                 const std::string& text, const std::string& path, bool is_interactive = false);

}  // namespace quill
