// A step of a session, an entry or a statement of a script: what it asked for, what it gave, and whether it
// would do the same again. Undo, editing and watching rest on this.
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

// The names of a text, by what it does with their values. Cautious: what may happen is taken to happen.
struct NamesUsed {
  std::set<std::string> reads;     // it asks for the value from before
  std::set<std::string> mentions;  // only functions that it makes name it: it matters whether there is one
  std::set<std::string> writes;    // it gives a value
  std::set<std::string> tied;      // take part in an alias
};
NamesUsed names_used(std::span<const NodePtr> statements);

struct StepNote {
  NamesUsed names;
  std::vector<FileSeen> read, written;
  std::set<std::string> figures;  // that it wrote
  bool shows = false;             // values, with the digits that are set
  bool draws = false;             // figures, with what is set for them
  bool makes_that = false;
  bool uses_random = false;
  bool asks_time = false;            // of the run
  double time = 0;                   // that it got
  std::vector<std::string> answers;  // literals, that somebody gave
  bool interrupted = false;
  // Its part of the origins of files.
  std::vector<FileNote> inputs_read, used;
  std::vector<InputNote> inputs;
};

struct Step {
  std::string text;
  StepNote note;
  // What was there before and after it; null when that is no longer known.
  std::shared_ptr<const Snapshot> before, after;
  bool failed = false;
  double seconds = 0;  // that it took
};

// Whether a step could give something else in this state than it did. Files that it wrote are not looked at.
bool would_differ(const Step& step, const SessionState& now, const RunFiles& files);
// Applies the stored results of the step to the state without running it; a failed step changes nothing.
void take_over(const Step& step, SessionState& now);

}  // namespace quill
