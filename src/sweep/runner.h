// Runs the cases of a study, one after the other, in this process.
#pragma once

#include <functional>
#include <memory>

#include "base/host.h"
#include "sweep/setup.h"

namespace quill {

class CaseRunner {
 public:
  // `new_host` makes the host of one case: files are found anew in each.
  CaseRunner(Setup setup, std::function<std::unique_ptr<Host>()> new_host);

  // Never throws for what the script does. The files that the case writes are moved into its folder when the
  // run has ended; a folder that was there is replaced.
  CaseResult run(const Case& one);

 private:
  void collect(const Session& session, const Record& record, CaseResult& result);
  // The arrays to be collected, as a file of the case.
  void save_arrays(const Session& session, const std::vector<FileNote>& written, Host& host,
                   CaseResult& result);
  void move_outputs(Host& host, Record& record, const Case& one, CaseResult& result);

  Setup setup_;
  ReusedRun reused_;
  std::function<std::unique_ptr<Host>()> new_host_;
  std::string host_name_;
  std::string scratch_;  // the folder that a case writes into
};

}  // namespace quill
