// A study as something to read.
#pragma once

#include <string>

#include "sweep/verify_study.h"

namespace quill {

// A script that reports on a study when it runs in the folder of the study: its inputs, its table, and for
// each of `chosen`, result and figures. Error when the text is no record of a study, or has no such case.
std::string report_script_of(std::string_view record, const std::string& name, const CaseRanges& chosen);

}  // namespace quill
