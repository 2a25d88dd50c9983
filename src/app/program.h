// The program from its arguments to its exit status; what its executables have in common.
#pragma once

#include "app/sweeping.h"

namespace quill {

// What an executable runs parameter studies with.
struct ProgramOptions {
  CrewMaker crew = local_crew;
  const char* runs_on = "local";  // for the record of a study
  bool only_studies = false;      // it has no other command
};

// Reports all errors, and returns the exit status; or ends the process, when work that was left still runs.
int run_program(int count, char** arguments, const ProgramOptions& options = {});

}  // namespace quill
