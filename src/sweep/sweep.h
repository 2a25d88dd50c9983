// A study: its cases are given to a crew, finished ones go into the journal, and the table and the record are
// made of it. The results do not depend on who ran which case, or on how often the study was interrupted.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "sweep/crew.h"
#include "sweep/design.h"
#include "sweep/setup.h"
#include "sweep/study_journal.h"

namespace quill {

struct SweepCounts {
  Index total = 0, done = 0, failed = 0;  // `failed` of `done`, those beyond their limit included
  Index before = 0;                       // of `done`, finished in earlier calls
};

// A number of cases in a second: "0.52", "350".
std::string rate_in_words(double rate);

// Numbers of cases: first and last of each range, in order.
using CaseRanges = std::vector<std::pair<Index, Index>>;
std::string text_of(const CaseRanges& ranges);  // "1..400,405"
CaseRanges ranges_in(const std::string& text);  // Error when it is none

class Sweep {
 public:
  Sweep(Host& host, Setup setup, Design design, StudyJournal& journal);

  // Takes over the cases of the journal that are still valid: same inputs, seed, script, program, and files
  // read. Returns a line for each reason why others are not. With `again_failed`, failed cases are open
  // again.
  Names restore(bool again_failed);
  // Takes over finished cases from the journal of a part, which another program may be writing: what was
  // added since the last call.
  struct Part {
    std::string path, setup{};
    std::uint64_t end = 0;
  };
  void merge(Part& part);

  struct Rules {
    bool stops_at_error = false;
    // Of these cases every `parts`-th, from `part` on (counted from 0).
    CaseRanges cases{};  // empty: all
    Index part = 0, parts = 1;
  };
  // The cases that are open.
  CaseRanges open() const;
  // How far it is, for somebody who waits since `began`, by the clock of the host.
  Progress::State progress(double began) const;
  // Runs the open cases. Throws what poll_interrupt throws; what was finished by then is in the journal.
  void run(Crew& crew, const Rules& rules);
  const SweepCounts& counts() const { return counts_; }
  std::optional<CaseResult> result(Index number) const;
  // The collected values of all finished cases: names and units, in the order in which the cases bring them.
  NamedTexts columns() const;
  const Setup& setup() const { return setup_; }
  const std::string& setup_digest() const { return setup_digest_; }
  const Design& design() const { return design_; }

 private:
  bool has_valid_sources(const CaseResult& result, std::string& changed);
  bool has_files(const CaseResult& result) const;
  void finish(CaseResult result);
  void note_columns(const CaseResult& result, Index number);
  // Why cases that were finished in the call before, `finished` of them, or that have equal inputs, run
  // again.
  Names reasons(const StudyHead& before, Index finished, const std::map<std::string, Index>& changed) const;

  Host& host_;
  Setup setup_;
  Design design_;
  StudyJournal& journal_;
  std::string setup_digest_;
  SweepCounts counts_;
  std::vector<std::uint64_t> at_;        // of each case the position in the journal + 1; 0 while it is open
  std::map<NamedTexts, Index> columns_;  // the first case with such values
  std::map<Index, int> tries_;           // of failed cases that run again, how often they have run
  std::map<std::string, std::string> digests_;  // of files now
};

}  // namespace quill
