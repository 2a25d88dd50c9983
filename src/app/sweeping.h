// The command that runs parameter studies, and the processes that run their cases.
#pragma once

#include "app/options.h"
#include "sweep/local_crew.h"

namespace quill {

int sweep_script(RealHost& host, TextOutput& output, const CommandLine& line);
// Workers of this machine for so many cases: as many as the options say, and no more than cases.
std::unique_ptr<Crew> local_crew(const Setup& setup, const CommandLine& line, Index cases);

// The command that starts a worker, with the number of the process that wants it; not for users.
inline constexpr const char* kWorkerCommand = "sweep-worker";
int serve_study(const std::string& parent);

}  // namespace quill
