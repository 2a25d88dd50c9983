// Report of a study.
#pragma once

#include <string>

#include "sweep/verify_study.h"

namespace quill {

// A script that reports on a study when it runs in the study's folder: inputs, table, and for each of
// `chosen` results and figures. Throws Error if the text is not a record of a study, or a case does not
// exist.
std::string report_script_of(std::string_view record, const std::string& name, const CaseRanges& chosen);

}  // namespace quill
