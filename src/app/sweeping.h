// The sweep command, and its worker processes.
#pragma once

#include "app/options.h"
#include "sweep/local_crew.h"

namespace quill {

int sweep_script(RealHost& host, TextOutput& output, const CommandLine& line);
// Local workers: as many as the options say, but not more than cases.
std::unique_ptr<Crew> local_crew(const Setup& setup, const CommandLine& line, Index cases);

// Internal command that starts a worker; its argument is the parent's process number.
inline constexpr const char* kWorkerCommand = "sweep-worker";
int serve_study(const std::string& parent);

}  // namespace quill
