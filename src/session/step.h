// A step of a session: an entry, or a statement of a script, with its dependencies and effects and the
// decision whether it has to run again. Basis of undo, editing and watching.
#pragma once

#include <memory>
#include <set>
#include <span>
#include <string>
#include <vector>

#include "base/host.h"
#include "language/tree.h"
#include "session/record.h"
#include "session/run_files.h"
#include "session/snapshot.h"

namespace quill {

// Names that a text reads and writes. Conservative: whatever may happen is assumed to happen.
struct NamesUsed {
  std::set<std::string> reads;  // their previous values are used
  std::set<std::string>
      mentions;  // used only inside functions that the text defines; only their existence matters
  std::set<std::string> writes;  // assigned
  std::set<std::string> tied;    // involved in an alias
};
NamesUsed names_used(std::span<const NodePtr> statements);

struct StepNote {
  NamesUsed names;
  std::vector<FileSeen> read, written;
  std::set<std::string> figures;  // figures written
  bool shows = false;             // displays values, so depends on the number of digits
  bool draws = false;             // draws figures, so depends on figure settings
  bool makes_that = false;
  bool uses_random = false;
  bool asks_time = false;            // calls now()
  double time = 0;                   // result of now()
  std::vector<std::string> answers;  // answers typed at the terminal, as literals
  bool interrupted = false;
  // Its contribution to the provenance of files.
  std::vector<FileNote> inputs_read, used;
  std::vector<InputNote> inputs;
};

struct Step {
  std::string text;
  StepNote note;
  // State before and after the step; null once dropped.
  std::shared_ptr<const Snapshot> before, after;
  bool failed = false;
  double seconds = 0;  // run time
};

// Whether the step could give another result in this state. Files written by the step are not compared.
bool would_differ(const Step& step, const SessionState& now, const RunFiles& files);
// Applies the stored results of the step to the state without running it. A failed step has no effect.
void take_over(const Step& step, SessionState& now);

}  // namespace quill
