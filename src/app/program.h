// The main function shared by the executables.
#pragma once

#include "app/sweeping.h"

namespace quill {

// Differences between executables.
struct ProgramOptions {
  CrewMaker crew = local_crew;
  const char* runs_on = "local";  // for the record of a study
  bool only_studies = false;      // has no other command
};

// Reports all errors and returns the exit status; ends the process directly if abandoned work is still
// running.
int run_program(int count, char** arguments, const ProgramOptions& options = {});

}  // namespace quill
