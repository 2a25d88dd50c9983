// A run done again from its record, and what came out differently.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/host.h"
#include "session/record.h"
#include "session/session.h"

namespace quill {

struct RerunOptions {
  std::string script;   // its path, where it is not where the record says; "" to look there
  std::string scratch;  // the folder that the run writes into
  Folders also_read;
};

// A run done again.
struct Rerun {
  Record record;
  std::string messages;  // of an error
};
// The folders that a record may lead into by itself: its own, the one above it, and the one that the user
// stands in. Whatever it names elsewhere is opened only when the user names it too.
Folders folders_around(const std::string& record_folder);
// The script of a record: its path. Error when it is not to be found there.
std::string script_of(Host& host, const Record& record, const std::string& record_folder);
// Runs the script with what the record says went in. `stands_for` is the folder of the record. Error when it
// could not run as it did, since something around it stood against that: a permission, memory, a full disk.
Rerun run_again(Host& host, const Record& record, const std::string& script, const std::string& stands_for,
                const RerunOptions& options);

struct Verdict {
  bool is_same = true;
  std::string text;  // the report, or one line
};
// Compares the two records and the files written: the old ones, as seen from `folder`, around which or below
// a folder of `also_read` they lie, and those below `scratch`. Numbers may differ by `tolerance` times the
// largest beside them. Error when an old file lies elsewhere.
struct Places {
  std::string folder, scratch;
  Folders also_read;
};
Verdict compare_runs(Host& host, const Record& before, const Record& now, const std::string& name,
                     const Places& places, double tolerance);

// What went in has changed between two records: a line each. Results hang on those of the first list; of the
// second one (versions, processor) only when numbers differ too.
struct Changes {
  std::vector<std::string> inputs, surroundings;
};
Changes changes_between(const Record& before, const Record& now);

}  // namespace quill
