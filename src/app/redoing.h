// Commands that repeat runs and trace provenance.
#pragma once

#include "app/options.h"

namespace quill {

int verify_record(RealHost& host, TextOutput& output, const CommandLine& line);
int trace_file(RealHost& host, TextOutput& output, const CommandLine& line);

}  // namespace quill
