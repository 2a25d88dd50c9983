// Parameter studies as a job array of the batch system Slurm. Each task runs its part of the cases and writes
// its own journal; this program follows the job and merges the journals.
#pragma once

#include "app/options.h"
#include "app/text_output.h"
#include "sweep/sweep.h"

namespace quill {

// Information for the tasks of a job; STUDY/slurm/plan.json.
struct SlurmPlan {
  std::string now;    // time of all cases
  std::string setup;  // see Setup::digest
  std::string job;    // job number; "" before submission
  Index parts = 1;
  CaseRanges cases;  // open when the job was submitted
};
// Throws Error if it does not exist or is damaged.
SlurmPlan read_slurm_plan(Host& host, const std::string& folder);

// Name of a part's journal, relative to the folder of the study.
std::string part_journal(Index part);
// Paths of existing ones.
Names part_journals(const std::string& folder);
// Merges them into the study's journal, and removes those that no task writes any more. Reports finished
// cases that cannot be used.
void merge_parts(TextOutput& output, Sweep& sweep);

class SlurmRun {
 public:
  SlurmRun(RealHost& host, TextOutput& output, Sweep& sweep, const CommandLine& line);
  Index parts() const { return plan_.parts; }
  // Writes batch script and plan, and explains their use; returns the exit status.
  int write_only();
  // Submits the job unless one of an earlier call is running, and merges results until it ends. Returns the
  // error that ended it early, if any; the job is cancelled then.
  std::optional<Error> to_end();

 private:
  void write_files();
  void submit();
  void follow();
  bool is_active() const;
  std::string batch_script() const;

  RealHost& host_;
  TextOutput& output_;
  Sweep& sweep_;
  const CommandLine& line_;
  SlurmPlan plan_;
  std::string folder_, script_path_;
};

}  // namespace quill
