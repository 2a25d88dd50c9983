// Runs cases of a study in this process.
#pragma once

#include <functional>
#include <memory>

#include "base/host.h"
#include "sweep/setup.h"

namespace quill {

class CaseRunner {
 public:
  // `new_host` creates the host of one case, so that files are opened anew in each.
  CaseRunner(Setup setup, std::function<std::unique_ptr<Host>()> new_host);

  // Never throws because of the script. Files written by the case are moved into its folder after the run; an
  // existing folder is replaced.
  CaseResult run(const Case& one);

 private:
  void collect(const Session& session, const Record& record, CaseResult& result);
  // Writes the arrays to be collected into a file of the case.
  void save_arrays(const Session& session, const std::vector<FileNote>& written, Host& host,
                   CaseResult& result);
  void move_outputs(Host& host, Record& record, const Case& one, CaseResult& result);

  Setup setup_;
  ReusedRun reused_;
  std::function<std::unique_ptr<Host>()> new_host_;
  std::string host_name_;
  std::string scratch_;  // output folder of the running case
};

}  // namespace quill
