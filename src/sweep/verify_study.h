// Runs cases of a study again and compares the results with its record.
#pragma once

#include <vector>

#include "session/verify.h"
#include "sweep/crew.h"
#include "sweep/study_files.h"

namespace quill {

struct StudyToVerify {
  StudyRecord record;
  std::string folder;  // of the record
  std::vector<std::pair<Case, CaseResult>> cases;
};
// Selection of cases: these, or a number drawn at random, or all if neither is given.
struct CaseChoice {
  CaseRanges cases;
  Index samples = 0;
};
// Throws Error if the text is not a record of a study, or lacks one of the cases.
StudyToVerify study_to_verify(std::string_view text, const std::string& name, const CaseChoice& choice);
// `crew` writes to another folder. Numbers in the table may differ by `tolerance` relative to the larger one.
Verdict verify_study(Host& host, const StudyToVerify& study, const std::string& script_text, Crew& crew,
                     const std::string& name, double tolerance);

}  // namespace quill
