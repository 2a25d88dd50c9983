// Runs cases of a study again and compares what comes out with its record.
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
// Which cases of a record: these, or so many drawn at random, or all where neither is given.
struct CaseChoice {
  CaseRanges cases;
  Index samples = 0;
};
// Error when the text is no record of a study, or has no such case.
StudyToVerify study_to_verify(std::string_view text, const std::string& name, const CaseChoice& choice);
// `crew` writes below another folder. Numbers in the table may differ by `tolerance` times the larger one.
Verdict verify_study(Host& host, const StudyToVerify& study, const std::string& script_text, Crew& crew,
                     const std::string& name, double tolerance);

}  // namespace quill
