// Runs a script again from its record and reports the differences.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/host.h"
#include "session/record.h"
#include "session/session.h"

namespace quill {

struct RerunOptions {
  std::string script;   // path of the script, if it is not where the record says; else ""
  std::string scratch;  // output folder of the new run
  Folders also_read;
};

// Result of the new run.
struct Rerun {
  Record record;
  std::string messages;  // error messages
};
// Folders that a record may refer to by itself: its own, the one above it, and the current folder. Files
// elsewhere are opened only if the user names them too.
Folders folders_around(const std::string& record_folder);
// Path of the script of a record. Throws Error if it is not found.
std::string script_of(Host& host, const Record& record, const std::string& record_folder);
// Runs the script with the inputs in the record. `stands_for` is the folder of the record. Throws Error if
// the environment prevented the run: permissions, memory, a full disk.
Rerun run_again(Host& host, const Record& record, const std::string& script, const std::string& stands_for,
                const RerunOptions& options);

struct Verdict {
  bool is_same = true;
  std::string text;  // report, or one line
};
// Compares two records and the files written. The old files lie in or around `folder`, or below a folder of
// `also_read`, the new ones below `scratch`. Numbers may differ by `tolerance` relative to the largest in the
// same value. Throws Error if an old file lies elsewhere.
struct Places {
  std::string folder, scratch;
  Folders also_read;
};
Verdict compare_runs(Host& host, const Record& before, const Record& now, const std::string& name,
                     const Places& places, double tolerance);

// Differences between the inputs of two records, one line each. Results depend on those in the first list;
// those in the second (versions, processor) matter only if numbers differ too.
struct Changes {
  std::vector<std::string> inputs, surroundings;
};
Changes changes_between(const Record& before, const Record& now);

}  // namespace quill
