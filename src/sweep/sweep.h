// Runs a study: distributes cases to a crew, journals finished ones, writes table and record. Results depend
// neither on who ran which case nor on interruptions.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "base/progress.h"
#include "sweep/crew.h"
#include "sweep/design.h"
#include "sweep/setup.h"
#include "sweep/study_journal.h"

namespace quill {

struct SweepCounts {
  Index total = 0, done = 0,
        failed = 0;  // `failed`: included in `done`, with those that exceeded their limit
  Index before = 0;  // included in `done`: finished by earlier calls
};

// A number of cases in a second: "0.52", "350".
std::string rate_in_words(double rate);

// Case numbers: first and last of each range, in order.
using CaseRanges = std::vector<std::pair<Index, Index>>;
std::string text_of(const CaseRanges& ranges);  // "1..400,405"
CaseRanges ranges_in(const std::string& text);  // Error when it is none

class Sweep {
 public:
  Sweep(Host& host, Setup setup, Design design, StudyJournal& journal);

  // Reuses the journal's cases that are still valid: same inputs, seed, script, program and files read.
  // Returns the reasons why others are not, one line each. With `again_failed`, failed cases run again.
  Names restore(bool again_failed);
  // Reuses finished cases from the journal of a part, which another program may be writing: those added since
  // the last call.
  struct Part {
    std::string path, setup{};
    std::uint64_t end = 0;
    std::set<Index> unused{};  // cases that it ran with other inputs or files
  };
  void merge(Part& part);

  struct Rules {
    bool stops_at_error = false;
    // Restricts them to every `parts`-th case, starting at `part` (from 0).
    CaseRanges cases{};  // empty: all
    Index part = 0, parts = 1;
  };
  // Cases still to run.
  CaseRanges open() const;
  // Progress since `began`, by the host's clock.
  Progress::State progress(double began) const;
  // Runs the open cases. Throws what poll_interrupt throws; finished cases are in the journal then.
  void run(Crew& crew, const Rules& rules);
  const SweepCounts& counts() const { return counts_; }
  std::optional<CaseResult> result(Index number) const;
  // Collected values of all finished cases: names and units, in order of first appearance.
  NamedTexts columns() const;
  const Setup& setup() const { return setup_; }
  const std::string& setup_digest() const { return setup_digest_; }
  const Design& design() const { return design_; }

 private:
  bool has_valid_sources(const CaseResult& result, std::string& changed);
  bool has_files(const CaseResult& result) const;
  // Whether a finished case would give the same again.
  bool is_current(const CaseResult& result);
  void finish(CaseResult result);
  void note_columns(const CaseResult& result, Index number);
  // Why cases finished by the previous call (`finished` of them), or cases with equal inputs, run again.
  Names reasons(const StudyHead& before, Index finished, const std::map<std::string, Index>& changed) const;

  Host& host_;
  Setup setup_;
  Design design_;
  StudyJournal& journal_;
  std::string setup_digest_;
  SweepCounts counts_;
  std::vector<std::uint64_t> at_;               // offset in the journal + 1 of each case; 0 if it is open
  std::map<NamedTexts, Index> columns_;         // first case with such values
  std::map<Index, int> tries_;                  // number of runs of failed cases that run again
  std::map<std::string, std::string> digests_;  // current ones of files
};

}  // namespace quill
