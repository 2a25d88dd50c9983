// Facts about the build and the machine that may influence results.
#pragma once

#include "session/record.h"

namespace quill {

// Fills in version, build, libraries, processor, machine and threads.
void describe_build(Record& record);

}  // namespace quill
