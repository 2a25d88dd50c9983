// Parameter studies as a job array of the batch system Slurm: every task runs its share of the cases into a
// journal of its own, and this program follows the job and merges the journals.
#pragma once

#include "app/options.h"
#include "sweep/sweep.h"

namespace quill {

// What the tasks of a job have to know; STUDY/slurm/plan.json.
struct SlurmPlan {
  std::string now;    // the time of all cases
  std::string setup;  // see Setup::digest
  std::string job;    // its number; "" before it is submitted
  Index parts = 1;
  CaseRanges cases;  // open when it was submitted
};
// Error when there is none, or it is damaged.
SlurmPlan read_slurm_plan(Host& host, const std::string& folder);

// The name of the journal of a part, below the folder of the study.
std::string part_journal(Index part);
// The paths of those that exist.
Names part_journals(const std::string& folder);
// Takes over what they hold, and removes those that no task writes any more.
void merge_parts(Sweep& sweep);

class SlurmRun {
 public:
  SlurmRun(RealHost& host, TextOutput& output, Sweep& sweep, const CommandLine& line);
  Index parts() const { return plan_.parts; }
  // Writes the batch script and the plan, and reports how they are used; the exit status.
  int write_only();
  // Submits the job, unless one of an earlier call still runs, and merges results until it has ended. The
  // error that ended it early, if one did; the job is cancelled then.
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
